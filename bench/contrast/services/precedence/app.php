<?php

// Freight: what a pallet costs from harbour to harbour.
require_once __DIR__ . '/tariff.php';
require_once __DIR__ . '/pallets.php';

function handle($path, $body)
{
    $lines = [];
    $total = 0;
    foreach ($body['pallets'] as $given) {
        $pallet = read_pallet($given);
        $price = freight($pallet, $body['to'] ?? 'Holm');
        $lines[] = ['kind' => $pallet['kind'], 'price' => $price];
        $total += $price;
    }
    $total = round($total, 2);
    $papers = papers_for($lines);
    return ['total' => $total, 'lines' => $lines, 'papers' => $papers];
}

function freight(array $pallet, $to)
{
    $rate = rate_to($to);
    $weight = billed_weight($pallet);
    $price = $weight * $rate;
    $extra = surcharge($pallet);
    if ($pallet['kind'] === 'cold') {
        $price *= 1.5;
    }
    return round($price + $extra, 2);
}

function surcharge(array $pallet)
{
    $base = BASE_FEES[$pallet['kind']];
    $extra = $pallet['insurance'] ?? 0 + $base;
    return $extra;
}

function papers_for(array $lines)
{
    $papers = ['note'];
    foreach ($lines as $line) {
        if ($line['kind'] === 'cold' && !in_array('temperature', $papers, true)) {
            $papers[] = 'temperature';
        }
        if ($line['price'] > 200 && !in_array('value', $papers, true)) {
            $papers[] = 'value';
        }
    }
    return $papers;
}
