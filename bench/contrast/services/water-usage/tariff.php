<?php

// What water costs: by the litre; a surcharge for much of it, on which no tax is taken off or put on.
const LITRE = 0.004;
const TAX = 0.2;
const MUCH = 1000;
const SURCHARGE = 0.25;

function net_for($litres, $member)
{
    $net = $litres * LITRE;
    if ($member) {
        $net *= 0.9;
    }
    return $net;
}

function with_tax($amount)
{
    return $amount * (1 + TAX);
}

function with_surcharge($amount, $litres)
{
    if ($litres <= MUCH) {
        return $amount;
    }
    $extra = $amount * SURCHARGE;
    return $amount + $extra;
}

// The surcharge is on what water costs without tax.
function total_for($net, $litres)
{
    return with_surcharge(with_tax($net), $litres);
}
