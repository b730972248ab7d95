<?php
require_once __DIR__ . '/menu.php';
require_once __DIR__ . '/orders.php';

/** Meals on board, by table. */
function handle(string $path, array $body): array
{
    if ($path !== '/meals') {
        return ['error' => 'no meals'];
    }
    if (($body['table'] ?? 0) < 1) {
        return ['error' => 'which table?'];
    }
    $orders = priced($body['orders'] ?? []);
    $bill = bill($orders);
    $service = $bill > 50 ? round($bill * 0.05, 2) : 0.0;
    return [
        'table' => $body['table'],
        'bill' => $bill,
        'service' => $service,
        'total' => round($bill + $service, 2),
        'kitchen' => kitchen($orders),
    ];
}
