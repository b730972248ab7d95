<?php

// What is allowed.
const WINDOW = 3;
const MOST_IN_WINDOW = 24;
const MOST_IN_ALL = 60;

function state_for($worst, $all)
{
    if ($worst > MOST_IN_WINDOW || $all > MOST_IN_ALL) {
        return 'rests';
    }
    if ($worst > MOST_IN_WINDOW * 0.75) {
        return 'short duty';
    }
    return 'full duty';
}

function text_for($name, $state)
{
    $words = ['rests' => 'has to rest', 'short duty' => 'may work for a while', 'full duty' => 'may work'];
    return "$name {$words[$state]}";
}
