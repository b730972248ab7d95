<?php
require_once __DIR__ . '/Price.php';
require_once __DIR__ . '/Delivery.php';

/** Ice for the fish market: cheaper from 50 kilos on, and from 100. */
function handle(string $path, array $body): array
{
    if ($path !== '/ice') {
        return ['error' => 'no ice'];
    }
    $kilos = (int) ($body['kilos'] ?? 0);
    if ($kilos < 1) {
        return ['error' => 'how much?'];
    }
    $delivery = new Delivery($body['hour'] ?? 8);
    $price = new Price($kilos);
    return [
        'kilos' => $kilos,
        'a_kilo' => $price->aKilo(),
        'sum' => $price->sum() + $delivery->fee(),
        'at' => $delivery->text(),
    ];
}
