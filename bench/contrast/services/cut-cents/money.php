<?php
function cents_of(float $amount): int
{
    $scaled = $amount * 100;
    $cents = (int) $scaled;
    return $cents;
}
