<?php

function read_pallet(array $given)
{
    $pallet = ['kind' => $given['kind'] ?? 'dry', 'weight' => $given['weight'], 'height' => $given['height'] ?? 1.2];
    if (isset($given['value'])) {
        $pallet['insurance'] = insurance($given['value']);
    }
    return $pallet;
}

function insurance($value)
{
    $share = $value > 1000 ? 0.01 : 0.02;
    return round($value * $share, 2);
}

function billed_weight(array $pallet)
{
    $volume = 1.2 * 0.8 * $pallet['height'];
    $by_volume = $volume * 250;
    return max($pallet['weight'], round($by_volume));
}
