<?php

// What people are told.
const TEXTS = [
    'whole' => 'You get all of it back',
    'half' => 'You get half of it back',
    'none' => 'It is too late',
];

function letter_for($name, $back)
{
    $text = TEXTS[$name];
    if ($back > 0) {
        $text .= ': ' . number_format($back, 2);
    }
    return $text . '.';
}
