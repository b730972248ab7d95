<?php

// What power costs.
const RATE = 0.35;
const BASE = 2.0;

function bill_for($used, $rate)
{
    if ($used === 0) {
        return 0.0;
    }
    return round(BASE + $used * $rate, 2);
}

function class_of($used)
{
    if ($used > 35) {
        return 'heavy';
    }
    return $used > 10 ? 'usual' : 'light';
}
