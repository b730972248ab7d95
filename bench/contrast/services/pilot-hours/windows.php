<?php

// The most hours in any so many days that follow each other.
function busiest_window(array $hours, $days)
{
    $most = 0;
    if (count($hours) <= $days) {
        return array_sum($hours);
    }
    for ($first = 0; $first < count($hours) - $days; $first++) {
        $sum = 0;
        for ($day = 0; $day < $days; $day++) {
            $sum += $hours[$first + $day];
        }
        if ($sum > $most) {
            $most = $sum;
        }
    }
    return $most;
}
