<?php

// Steps of refunds, by hours before the boat leaves.
const STEPS = [
    ['name' => 'whole', 'from' => 72, 'share' => 1.0],
    ['name' => 'half', 'from' => 24, 'share' => 0.5],
    ['name' => 'none', 'from' => 0, 'share' => 0.0],
];
const FEE = 2.5;

function step_for($hours)
{
    foreach (STEPS as $step) {
        if ($hours >= $step['from']) {
            return $step;
        }
    }
    return STEPS[count(STEPS) - 1];
}

function refund_of($paid, $share)
{
    return (int) ($paid * $share);
}

function fee_for($refund, $wanted)
{
    if (!$wanted || $refund <= 0) {
        return 0;
    }
    return FEE;
}
