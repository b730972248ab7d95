<?php

class Keys
{
    private const DEPOSIT = 10;

    public function __construct(private int $deck)
    {
    }

    public function numberFor(string $cabin): string
    {
        return $this->deck . '-' . strrev($cabin);
    }

    public function deposit(int $nights): int
    {
        $deposit = self::DEPOSIT * $this->deck;
        return $nights > 2 ? $deposit * 2 : $deposit;
    }
}
