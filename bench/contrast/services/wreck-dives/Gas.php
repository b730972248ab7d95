<?php

/** Air by depth: what is breathed grows with the pressure. */
class Gas
{
    private const A_MINUTE = 20;
    private const BOTTLE = 2400;
    private int $depth;
    private int $minutes;

    public function __construct(int $depth, int $minutes)
    {
        $this->depth = $depth;
        $this->minutes = $minutes;
    }

    public function liters(): float
    {
        $pressure = 1 + intdiv($this->depth, 10);
        return round($pressure * self::A_MINUTE * $this->minutes, 1);
    }

    public function bottles(): int
    {
        return (int) ceil($this->liters() / self::BOTTLE);
    }
}
