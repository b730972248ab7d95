<?php

require_once __DIR__ . '/Dues.php';
require_once __DIR__ . '/Ship.php';

/** What a call at the port costs: dues, less what green ships are given, and then the tax. */
function handle(string $path, array $body): array
{
    if ($path !== '/calls') {
        return ['error' => 'not found'];
    }
    $ship = new Ship((int) $body['tons'], !empty($body['green']));
    if (!$ship->mayCome()) {
        return ['error' => 'too large'];
    }
    $dues = new Dues($ship, (int) ($body['hours'] ?? 1));
    return ['class' => $ship->kind(), 'total' => $dues->total(), 'berth' => $dues->berth()];
}
