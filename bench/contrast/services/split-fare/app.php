<?php

// Fares that two companies share on a through ticket.
require_once __DIR__ . '/legs.php';
require_once __DIR__ . '/shares.php';

function handle($path, $body)
{
    $legs = legs_between($body['from'], $body['to']);
    if ($legs === []) {
        return ['error' => 'no way there'];
    }
    $fare = 0.0;
    foreach ($legs as $leg) {
        $fare += $leg['fare'];
    }
    if (count($legs) > 1) {
        $fare = $fare * 0.9;
    }
    $shares = shares_of($legs, $fare);
    $sum = array_sum($shares);
    $settled = $sum == round($fare, 2);
    return ['fare' => round($fare, 2), 'shares' => $shares, 'settled' => $settled];
}
