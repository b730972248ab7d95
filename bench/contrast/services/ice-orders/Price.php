<?php

class Price
{
    private const STEPS = [100 => 0.30, 50 => 0.36];
    private const USUAL = 0.45;

    public function __construct(private int $kilos)
    {
    }

    public function aKilo(): float
    {
        foreach (self::STEPS as $from => $price) {
            if ($this->kilos > $from) {
                return $price;
            }
        }
        return self::USUAL;
    }

    public function sum(): float
    {
        return round($this->kilos * $this->aKilo(), 2);
    }
}
