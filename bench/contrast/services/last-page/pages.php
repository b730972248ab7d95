<?php

function page(array $all, int $number, int $size): array
{
    $first = ($number - 1) * $size;
    $last = min($first + $size, count($all) - 1);
    $found = [];
    for ($index = $first; $index < $last; $index++) {
        $found[] = $all[$index];
    }
    return $found;
}
