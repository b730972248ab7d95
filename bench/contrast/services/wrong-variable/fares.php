<?php
function adult_fare(int $adults): int
{
    $rate = 12;
    return $adults * $rate;
}

function child_fare(int $children): int
{
    $rate = 6;
    $fare = $children * $rate;
    return $fare;
}
