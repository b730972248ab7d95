<?php

// The shop at the pier: what a basket costs.
require_once __DIR__ . '/stock.php';
require_once __DIR__ . '/cart.php';

function handle($path, $body)
{
    $lines = $body['lines'] ?? [];
    foreach ($lines as $line) {
        if (item($line['item']) === null) {
            return ['ok' => false, 'why' => "no {$line['item']} here"];
        }
    }
    $total = total_of($lines);
    $off = member_discount($total, !empty($body['member']));
    return [
        'ok' => true,
        'items' => count_of($lines),
        'total' => round($total - $off, 2),
        'bag' => bag_for($lines),
    ];
}

function member_discount($total, $member)
{
    if (!$member || $total < 5) {
        return 0;
    }
    return round($total * 0.05, 2);
}
