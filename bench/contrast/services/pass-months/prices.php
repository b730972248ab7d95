<?php
const A_MONTH = 45.0;
const LONG = 6;

function price_for(int $months, bool $isChild): float
{
    $price = $months * A_MONTH;
    if ($months >= LONG) {
        $price = $price * 0.85;
    }
    return $isChild ? $price / 2 : $price;
}
