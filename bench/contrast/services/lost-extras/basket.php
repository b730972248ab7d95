<?php

const PRICES = ['tea' => 2.2, 'map' => 9.5, 'cap' => 14.0];

function read_basket(array $items)
{
    $basket = [];
    foreach ($items as $name => $count) {
        $basket[] = ['name' => $name, 'count' => $count, 'price' => PRICES[$name]];
    }
    return $basket;
}

function put_together(array $basket, array $gifts)
{
    $all = $basket + $gifts;
    return $all;
}
