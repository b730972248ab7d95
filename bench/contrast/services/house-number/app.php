<?php

// Deliveries to houses near the harbour: which round brings them.
require_once __DIR__ . '/rounds.php';
require_once __DIR__ . '/addresses.php';

function handle($path, $body)
{
    $address = read_address($body['address'] ?? '');
    if ($address === null) {
        return ['error' => 'no address'];
    }
    $round = round_for($address['street'], $address['number']);
    $fee = $round === null ? 6 : fee_of($round);
    $answer = ['street' => $address['street'], 'number' => $address['number'], 'fee' => $fee];
    if ($round !== null) {
        $answer['round'] = $round['name'];
    }
    return $answer;
}
