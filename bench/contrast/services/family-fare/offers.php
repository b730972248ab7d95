<?php

// Offers, each with the parties that it is for.
const ADULT = 12.0;
const CHILD = 6.0;

function offers()
{
    return [
        [
            'name' => 'family',
            // One or two grown-ups with children.
            'when' => fn($party) => $party->adults === 2 && $party->children >= 1,
            'fare' => fn($party) => 26.0,
        ],
        [
            'name' => 'group',
            'when' => fn($party) => $party->size() >= 6,
            'fare' => fn($party) => $party->size() * 8.0,
        ],
    ];
}

function best_offer(Party $party, $full)
{
    $best = null;
    foreach (offers() as $offer) {
        if (!$offer['when']($party)) {
            continue;
        }
        $fare = $offer['fare']($party);
        if ($fare < $full && ($best === null || $fare < $best['fare'])) {
            $best = ['name' => $offer['name'], 'fare' => $fare];
        }
    }
    return $best;
}
