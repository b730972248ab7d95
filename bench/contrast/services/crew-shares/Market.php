<?php

class Market
{
    private const PRICE = 1;
    private const ICE = 2;

    public function proceeds(int $catch, int $ice): int
    {
        $sum = $catch * self::PRICE;
        if ($ice > 0) {
            $sum -= $ice * self::ICE;
        }
        return max(0, $sum);
    }
}
