<?php

// Cabins by their numbers: which are free, and what a change costs.
require_once __DIR__ . '/cabins.php';
require_once __DIR__ . '/changes.php';

function handle($path, $body)
{
    $wanted = $body['cabin'] ?? '';
    $boat = $body['boat'] ?? 'Kestrel';
    $closed = closed_cabins($boat);
    $state = state_of($wanted, $boat, $closed);
    $answer = ['cabin' => $wanted, 'state' => $state, 'boat' => $boat];
    if ($state === 'closed') {
        $answer['instead'] = nearest($wanted, $boat, $closed);
    }
    if (isset($body['from'])) {
        $answer['change'] = change_fee($body['from'], $wanted, $state);
    }
    $answer['deck'] = deck_of($wanted);
    return $answer;
}

function state_of($wanted, $boat, array $closed)
{
    if (!known($wanted, $boat)) {
        return 'unknown';
    }
    if (in_array($wanted, $closed)) {
        return 'closed';
    }
    foreach (booked($boat) as $cabin) {
        if ($cabin === $wanted) {
            return 'booked';
        }
    }
    return 'free';
}

function nearest($wanted, $boat, array $closed)
{
    $best = null;
    foreach (all_cabins($boat) as $cabin) {
        if ($cabin === $wanted || in_array($cabin, $closed, true)) {
            continue;
        }
        if ($best === null || deck_of($cabin) === deck_of($wanted)) {
            $best = $cabin;
        }
    }
    return $best;
}
