<?php

// What the first gets.
function prize_for($points, $lead)
{
    if ($points >= 100) {
        return 'cup';
    }
    if ($lead >= 20) {
        return 'medal';
    }
    return 'ribbon';
}
