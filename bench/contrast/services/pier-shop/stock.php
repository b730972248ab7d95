<?php

// What there is to buy.
const ITEMS = [
    'map' => ['price' => 6.5, 'grams' => 120],
    'cap' => ['price' => 14.0, 'grams' => 90],
    'tea' => ['price' => 3.2, 'grams' => 200],
];

function item($name)
{
    return ITEMS[$name] ?? null;
}
