<?php

/** Orders with what each costs. */
function priced(array $orders): array
{
    foreach ($orders as &$order) {
        $order['price'] = menu_price($order['meal']) * $order['count'];
    }
    $checked = [];
    foreach ($orders as $order) {
        if ($order['count'] > 0) {
            $checked[] = $order;
        }
    }
    return $checked;
}

function bill(array $orders): float
{
    $sum = 0.0;
    foreach ($orders as $order) {
        $sum += $order['price'];
    }
    return round($sum, 2);
}

function kitchen(array $orders): array
{
    $lines = [];
    foreach ($orders as $order) {
        $lines[] = $order['count'] . ' ' . $order['meal'];
    }
    return $lines;
}
