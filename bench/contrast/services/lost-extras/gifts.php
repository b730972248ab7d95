<?php

function gifts_for(array $basket, $member)
{
    $gifts = [];
    $count = array_sum(array_column($basket, 'count'));
    if ($count >= 3) {
        $gifts[] = ['name' => 'card', 'count' => 1, 'price' => 0];
    }
    if ($member) {
        $gifts[] = ['name' => 'pin', 'count' => 1, 'price' => 0];
    }
    return $gifts;
}
