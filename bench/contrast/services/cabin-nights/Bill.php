<?php

/** What a stay costs. */
class Bill
{
    private array $cabin;

    public function __construct(array $cabin)
    {
        $this->cabin = $cabin;
    }

    public function total(int $nights, bool $hasPet): int
    {
        $total = $this->cabin['price'] * $nights;
        if ($hasPet) {
            $total += 15;
        }
        if ($nights > 6) {
            $total -= 50;
        }
        return $total;
    }
}
