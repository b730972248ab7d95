<?php

// Who has been asked.
const GUESTS = ['Una', 'Ada', 'Bo', 'Cy'];

function guest($name)
{
    $at = array_search($name, GUESTS, true);
    if (!$at) {
        return null;
    }
    return ['number' => $at, 'name' => GUESTS[$at]];
}
