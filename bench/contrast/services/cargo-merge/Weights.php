<?php

/** What goods weigh. */
class Weights
{
    private const EACH = ['rope' => 12, 'nets' => 20, 'oil' => 18, 'fish' => 5];
    private bool $isCold;

    public function __construct(bool $isCold)
    {
        $this->isCold = $isCold;
    }

    public function of(array $goods): int
    {
        $sum = 0;
        foreach ($goods as $name => $count) {
            $sum += (self::EACH[$name] ?? 10) * $count;
        }
        if ($this->isCold) {
            $sum += 30;
        }
        return $sum;
    }
}
