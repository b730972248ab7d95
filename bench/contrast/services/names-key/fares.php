<?php

const FARES = ['Skerrow-Holm' => 14, 'Skerrow-Innish' => 18];

function fare_of(array $person, $route)
{
    $fare = FARES[$route];
    $age = $person['age'] ?? 30;
    if ($age < 4) {
        return 0;
    }
    if ($age < 12) {
        return $fare / 2;
    }
    return $fare;
}
