<?php

// Fares for families: the best of the offers that fit.
require_once __DIR__ . '/party.php';
require_once __DIR__ . '/offers.php';

function handle($path, $body)
{
    $party = Party::read($body);
    if ($party === null) {
        return ['ok' => false, 'why' => 'somebody grown up has to come'];
    }
    $full = full_fare($party);
    $best = best_offer($party, $full);
    $fare = $best === null ? $full : $best['fare'];
    if ($party->dog) {
        $fare += 4;
    }
    return [
        'ok' => true,
        'fare' => round($fare, 2),
        'offer' => $best['name'] ?? null,
        'saved' => round($full - ($best['fare'] ?? $full), 2),
    ];
}

function full_fare(Party $party)
{
    return $party->adults * ADULT + $party->children * CHILD;
}
