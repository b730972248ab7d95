<?php

// The limits in limits.csv: knots up to which a boat sails, and beyond which it stays in port.
function all_limits()
{
    $limits = [];
    $lines = file(__DIR__ . '/limits.csv', FILE_IGNORE_NEW_LINES);
    foreach (array_slice($lines, 1) as $line) {
        [$boat, $port, $from, $sail, $stay] = explode(',', $line);
        $limits["$boat $port $from"] = ['sail' => (int) $sail, 'stay' => (int) $stay];
    }
    return $limits;
}

function limit_for($boat, $port, $from)
{
    $limits = all_limits();
    return $limits["$boat $port $from"] ?? null;
}
