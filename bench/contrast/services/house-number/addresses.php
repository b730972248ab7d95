<?php

function read_address($text)
{
    $text = trim($text);
    if (preg_match('/^(\D+?)\s+(\d+)([a-z]?)$/i', $text, $found) !== 1) {
        return null;
    }
    $street = strtolower($found[1]);
    return ['street' => $street, 'number' => $found[2], 'door' => $found[3]];
}
