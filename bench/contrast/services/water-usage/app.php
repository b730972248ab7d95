<?php

// Water that boats take at the quay.
require_once __DIR__ . '/tariff.php';
require_once __DIR__ . '/receipt.php';

function handle($path, $body)
{
    $litres = (int) ($body['litres'] ?? 0);
    if ($litres < 0) {
        return ['ok' => false, 'why' => 'less than nothing'];
    }
    if ($litres === 0) {
        return ['ok' => true, 'total' => 0.0, 'receipt' => null];
    }
    $net = net_for($litres, !empty($body['member']));
    $total = total_for($net, $litres);
    return [
        'ok' => true,
        'net' => round($net, 2),
        'total' => round($total, 2),
        'receipt' => receipt($litres, $total),
    ];
}
