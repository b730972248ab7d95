<?php
const SEALS = ['A1' => '0e77', 'B2' => '4410', 'C3' => '1000'];

function has_box(string $box): bool
{
    return array_key_exists($box, SEALS);
}

function opens(string $box, string $given): bool
{
    $kept = SEALS[$box];
    if ($given === '') {
        return false;
    }
    return $kept == $given;
}
