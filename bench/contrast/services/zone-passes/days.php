<?php
const LONG = 7;

function for_days(float $a_day, int $days): float
{
    $sum = $a_day * $days;
    if ($days >= LONG) {
        $sum = $sum * 0.75;
    }
    return $sum;
}
