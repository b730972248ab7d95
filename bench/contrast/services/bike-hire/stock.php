<?php

// How many bicycles are there.
const STOCK = ['2026-05' => 8, '2026-06' => 10, '2026-08' => 12];

function enough($bikes, $from, $days)
{
    $stock = STOCK[substr($from, 0, 7)] ?? 6;
    if ($days > 14) {
        $stock -= 2;
    }
    return $bikes <= $stock;
}
