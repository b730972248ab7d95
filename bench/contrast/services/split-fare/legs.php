<?php

const LEGS = [
    ['from' => 'Skerrow', 'to' => 'Holm', 'company' => 'north', 'fare' => 14.1],
    ['from' => 'Holm', 'to' => 'Tarrin', 'company' => 'south', 'fare' => 11.2],
    ['from' => 'Skerrow', 'to' => 'Innish', 'company' => 'north', 'fare' => 18.0],
    ['from' => 'Innish', 'to' => 'Tarrin', 'company' => 'coast', 'fare' => 7.3],
];

function legs_between($from, $to)
{
    foreach (LEGS as $leg) {
        if ($leg['from'] === $from && $leg['to'] === $to) {
            return [$leg];
        }
    }
    foreach (LEGS as $first) {
        foreach (LEGS as $second) {
            $meets = $first['from'] === $from && $first['to'] === $second['from'] && $second['to'] === $to;
            if ($meets) {
                return [$first, $second];
            }
        }
    }
    return [];
}
