<?php

class Menu
{
    private const MEAL = 15;
    private const GROUP = 5;

    public function price(int $seats): int
    {
        $price = $seats * self::MEAL;
        return $seats >= self::GROUP ? $price - 10 : $price;
    }
}
