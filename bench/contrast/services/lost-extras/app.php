<?php

// A basket for the ferry shop: what a customer has put in, and what the office adds.
require_once __DIR__ . '/basket.php';
require_once __DIR__ . '/gifts.php';

function handle($path, $body)
{
    $basket = read_basket($body['items'] ?? []);
    $gifts = gifts_for($basket, $body['member'] ?? false);
    $all = put_together($basket, $gifts);
    $total = 0;
    foreach ($all as $item) {
        $total += $item['price'] * $item['count'];
    }
    return ['items' => array_column($all, 'name'), 'total' => round($total, 2), 'gifts' => count($gifts)];
}
