<?php

// Fares of a party: each traveller has a discount of their own, which takes long to look up and is kept meanwhile.
require_once __DIR__ . '/members.php';
require_once __DIR__ . '/fares.php';

function handle($path, $body)
{
    $cache = [];
    $lines = [];
    foreach ($body['party'] as $person) {
        $share = discount_for($person, $cache);
        $fare = fare_of($person, $body['route'] ?? 'Skerrow-Holm');
        $lines[] = ['name' => $person['name'], 'fare' => round($fare * (1 - $share), 2), 'share' => $share];
    }
    $total = array_sum(array_column($lines, 'fare'));
    return ['lines' => $lines, 'total' => round($total, 2), 'group' => count($lines) > 4];
}

function discount_for(array $person, array &$cache)
{
    $key = key_of($person);
    if (array_key_exists($key, $cache)) {
        return $cache[$key];
    }
    $member = member($person['card'] ?? null);
    $share = 0.0;
    if ($member !== null) {
        $share = share_of($member);
    }
    $cache[$key] = $share;
    return $share;
}

function key_of(array $person)
{
    $name = mb_strtolower(trim($person['name']));
    return preg_replace('/\s+/', '-', $name);
}
