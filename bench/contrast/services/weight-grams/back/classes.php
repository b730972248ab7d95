<?php

const FAR = ['Tarrin', 'Innish'];

function class_of($weight)
{
    if ($weight <= 2) {
        return 'A';
    }
    return $weight <= 20 ? 'B' : 'C';
}

function price_of($class, $weight, $to)
{
    $base = ['A' => 4, 'B' => 7, 'C' => 12][$class];
    $per = in_array($to, FAR, true) ? 0.4 : 0.25;
    $price = $base + $per * $weight;
    return $price;
}
