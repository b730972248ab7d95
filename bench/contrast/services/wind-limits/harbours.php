<?php

// How much of the wind is felt in a harbour.
const SHELTER = [
    'Tarrin' => ['N' => 0.9, 'E' => 1.0, 'S' => 0.8, 'W' => 0.7],
    'Skerrow' => ['N' => 1.0, 'E' => 0.9, 'S' => 0.9, 'W' => 0.9],
];

function shelter($port, $from)
{
    return SHELTER[$port][$from] ?? 1.0;
}
