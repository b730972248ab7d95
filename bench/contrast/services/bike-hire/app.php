<?php

// Bicycles that are hired for some days.
require_once __DIR__ . '/dates.php';
require_once __DIR__ . '/stock.php';
require_once __DIR__ . '/rates.php';

function handle($path, $body)
{
    $bikes = (int) ($body['bikes'] ?? 1);
    if ($bikes < 1) {
        return ['ok' => false, 'why' => 'no bicycles'];
    }
    $from = $body['from'] ?? '';
    $to = $body['to'] ?? $from;
    if (!is_date($from) || !is_date($to)) {
        return ['ok' => false, 'why' => 'no such day'];
    }
    $days = days_between($from, $to);
    if (!enough($bikes, $from, $days)) {
        return ['ok' => false, 'why' => 'too few bicycles'];
    }
    $price = price_for($bikes, $days, is_high(month_of($from)));
    return [
        'ok' => true,
        'days' => $days,
        'price' => $price,
        'deposit' => deposit_for($bikes, $price),
    ];
}
