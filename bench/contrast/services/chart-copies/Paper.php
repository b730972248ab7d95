<?php

class Paper
{
    private const PRICES = ['plain' => 3, 'colour' => 7];

    public function __construct(private bool $isColour)
    {
    }

    public function name(): string
    {
        return $this->isColour ? 'colour' : 'plain';
    }

    public function price(int $sheets): int
    {
        return $sheets * self::PRICES[$this->name()];
    }
}
