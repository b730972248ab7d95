<?php

// What a day costs; long hires are cheaper.
const DAY = 14;
const LONG_FROM = 5;

function price_for($bikes, $days, $high)
{
    $day = $high ? DAY + 3 : DAY;
    $price = $bikes * $days * $day;
    if ($days >= LONG_FROM) {
        $price *= 0.85;
    }
    return round($price, 2);
}

function deposit_for($bikes, $price)
{
    return max(20 * $bikes, round($price * 0.2));
}
