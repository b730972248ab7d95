<?php
const WEIGHTS = ['car' => 1400, 'bicycle' => 15, 'motorcycle' => 2, 'trailer' => 400];

function weight_of(string $piece): int
{
    $weight = WEIGHTS[$piece] ?? 0;
    return $weight;
}
