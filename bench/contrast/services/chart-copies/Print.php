<?php

class ChartPrint
{
    private const SHEET = 10;
    private const THICK = 30;

    public function __construct(private int $pages, private int $copies)
    {
    }

    public function copies(): int
    {
        return max(1, $this->copies);
    }

    public function sheets(): int
    {
        return (int) round($this->pages / self::SHEET);
    }

    public function isThick(): bool
    {
        return $this->pages >= self::THICK;
    }
}
