<?php

function shares_of(array $legs, $fare)
{
    $whole = array_sum(array_column($legs, 'fare'));
    $shares = [];
    foreach ($legs as $leg) {
        $part = $fare * $leg['fare'] / $whole;
        $shares[$leg['company']] = floor($part * 100) / 100;
    }
    return $shares;
}
