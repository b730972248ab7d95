<?php

/** Dues of one call. */
class Dues
{
    private const EACH = 0.2;
    private const HOUR = 4;
    private const GREEN = 15;
    private Ship $ship;
    private int $hours;

    public function __construct(Ship $ship, int $hours)
    {
        $this->ship = $ship;
        $this->hours = $hours;
    }

    public function total(): float
    {
        $total = $this->ship->tons * self::EACH;
        $total += $this->hours * self::HOUR;
        $total = $this->withTax($total);
        if ($this->ship->isGreen) {
            $total -= self::GREEN;
        }
        return round($total, 2);
    }

    public function berth(): string
    {
        return $this->hours > 24 ? 'outer' : 'inner';
    }

    private function withTax(float $amount): float
    {
        return $amount * 1.25;
    }
}
