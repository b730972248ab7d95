<?php
const MENU = ['soup' => 7.5, 'fish' => 16.0, 'tea' => 3.0];

function menu_price(string $meal): float
{
    if (!isset(MENU[$meal])) {
        throw new InvalidArgumentException("there is no $meal");
    }
    return MENU[$meal];
}
