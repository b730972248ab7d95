<?php
const PRICES = ['adult' => 20, 'child' => 10];

function priceOf(string $kind, bool $isSeason): int
{
    $price = PRICES[$kind];
    if ($isSeason) {
        $price += 5;
    }
    return $price;
}
