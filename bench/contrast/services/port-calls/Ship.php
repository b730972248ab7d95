<?php

/** A ship that calls. */
class Ship
{
    private const LARGEST = 2000;
    public int $tons;
    public bool $isGreen;

    public function __construct(int $tons, bool $isGreen)
    {
        $this->tons = $tons;
        $this->isGreen = $isGreen;
    }

    public function mayCome(): bool
    {
        return $this->tons > 0 && $this->tons <= self::LARGEST;
    }

    public function kind(): string
    {
        return $this->tons > 500 ? 'large' : 'small';
    }
}
