<?php

require_once __DIR__ . '/Hold.php';

/** One offer. */
class Quote
{
    private string $what;
    private float $kg;
    private int $count;

    public function __construct(string $what, float $kg, int $count)
    {
        $this->what = $what;
        $this->kg = $kg;
        $this->count = $count;
    }

    public function forSize(int $wide, int $long, int $high): array
    {
        $place = Hold::place($long, $wide, $high);
        $volume = $wide * $long * $high / 1000;
        $each = $this->weightPrice($volume);
        if ($place['is_long']) {
            $each += 15;
        }
        return [
            'what' => ucfirst($this->what),
            'deck' => $place['deck'],
            'rows' => $place['rows'],
            'price' => round($each * $this->count, 2),
        ];
    }

    private function weightPrice(float $volume): float
    {
        $counted = max($this->kg, $volume / 6);
        return 4 + 0.8 * $counted;
    }
}
