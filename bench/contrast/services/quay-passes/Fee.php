<?php

/** What a pass costs for a month. */
class Fee
{
    private const CAR = 12;

    public static function of(array $holder, array $zone, bool $hasCar): float
    {
        $fee = (float) $zone['price'];
        if ($holder['level'] > 5) {
            $fee = 0.0;
        }
        if ($hasCar) {
            $fee += self::CAR;
        }
        return $fee;
    }
}
