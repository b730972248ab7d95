<?php

const BASE_FEES = ['dry' => 6, 'cold' => 11, 'live' => 20];
const RATES = ['Holm' => 0.2, 'Innish' => 0.25, 'Tarrin' => 0.4];

function rate_to($harbour)
{
    if (!isset(RATES[$harbour])) {
        throw new InvalidArgumentException("no harbour $harbour");
    }
    return RATES[$harbour];
}
