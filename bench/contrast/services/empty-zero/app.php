<?php
require_once __DIR__ . '/slips.php';

function handle(string $path, array $body): array
{
    $name = trim($body['name'] ?? '');
    $deck = deck_of($body);
    $weight = (float) ($body['weight'] ?? 0);
    $slip = make_slip($name, $deck, $weight);
    return $slip;
}

function deck_of(array $body): string
{
    $deck = $body['deck'] ?? '';
    if (empty($deck)) {
        $deck = 'any';
    }
    return $deck;
}
