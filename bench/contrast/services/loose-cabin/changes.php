<?php

function change_fee($from, $to, $state)
{
    if ($state !== 'free') {
        return null;
    }
    $fee = 5;
    if (deck_of($from) !== deck_of($to)) {
        $fee += 3;
    }
    return $fee;
}
