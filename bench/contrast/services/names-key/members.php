<?php

const MEMBERS = [
    'M1' => ['level' => 'gold', 'years' => 6],
    'M2' => ['level' => 'plain', 'years' => 2],
    'M3' => ['level' => 'silver', 'years' => 11],
];

function member($card)
{
    if ($card === null) {
        return null;
    }
    return MEMBERS[$card] ?? null;
}

function share_of(array $member)
{
    $shares = ['plain' => 0.05, 'silver' => 0.1, 'gold' => 0.2];
    $share = $shares[$member['level']];
    if ($member['years'] > 10) {
        $share += 0.05;
    }
    return $share;
}
