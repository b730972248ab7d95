<?php

// The cabins of each boat. Some numbers have letters in them, since two decks were numbered alike.
const CABINS = [
    'Kestrel' => ['10', '11', '1e1', '12', '0e3', '000', '20'],
    'Petrel' => ['7', '8', '9'],
];

function all_cabins($boat)
{
    return CABINS[$boat] ?? [];
}

function known($cabin, $boat)
{
    return in_array($cabin, all_cabins($boat), true);
}

function closed_cabins($boat)
{
    $closed = ['Kestrel' => ['10', '0e3'], 'Petrel' => ['9']];
    return $closed[$boat] ?? [];
}

function booked($boat)
{
    return $boat === 'Kestrel' ? ['12'] : ['7'];
}

function deck_of($cabin)
{
    if (strlen($cabin) > 2) {
        return 'lower';
    }
    return 'upper';
}
