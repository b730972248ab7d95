<?php

// What it costs to send a parcel.
require_once __DIR__ . '/classes.php';

function handle($path, $body)
{
    $weight = (float) $body['weight'];
    $class = class_of($weight);
    $price = price_of($class, $weight, $body['to']);
    if (!empty($body['fragile'])) {
        $price += 2.5;
    }
    return ['price' => round($price, 2), 'class' => $class];
}
