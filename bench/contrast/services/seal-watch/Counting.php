<?php

/** What a count means at a place. */
class Counting
{
    private array $place;

    public function __construct(array $place)
    {
        $this->place = $place;
    }

    public function split(int $count, int $young): array
    {
        $old = $count - $young;
        $estimate = (int) round($old * $this->place['factor']) + $young;
        return ['old' => $old, 'young' => $young, 'estimate' => $estimate];
    }

    public function isQuiet(int $count, int $wind): bool
    {
        return $count < $this->place['usual'] && $wind < 4;
    }
}
