<?php

class Lounge
{
    private const MOST = 6;
    private const PRICES = ['upper' => 12, 'lower' => 8];

    public function __construct(private string $deck)
    {
    }

    public function deck(): string
    {
        return ucfirst($this->deck);
    }

    public function has(int $seats): bool
    {
        return $seats <= self::MOST;
    }

    public function price(int $seats): int
    {
        return $seats * self::PRICES[$this->deck];
    }
}
