<?php

class Delivery
{
    private const EARLY = 8;

    public function __construct(private int $hour)
    {
    }

    public function fee(): float
    {
        return $this->hour < self::EARLY ? 4.0 : 0.0;
    }

    public function text(): string
    {
        return sprintf('%02d:00', $this->hour);
    }
}
