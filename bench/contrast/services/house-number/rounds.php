<?php

const ROUNDS = [
    ['name' => 'quay', 'street' => 'quay street', 'from' => '1', 'to' => '40', 'fee' => 2],
    ['name' => 'hill', 'street' => 'hill road', 'from' => '2', 'to' => '98', 'fee' => 3],
];

function round_for($street, $number)
{
    foreach (ROUNDS as $round) {
        if ($round['street'] !== $street) {
            continue;
        }
        if (strcmp($number, $round['from']) >= 0 && strcmp($number, $round['to']) <= 0) {
            return $round;
        }
    }
    return null;
}

function fee_of(array $round)
{
    return $round['fee'];
}
