<?php

// Places by points, most of all first.
function ranked(array $scores)
{
    arsort($scores, SORT_STRING);
    $rows = [];
    $place = 0;
    foreach ($scores as $name => $points) {
        $place += 1;
        $rows[] = ['place' => $place, 'name' => $name, 'points' => $points];
    }
    return $rows;
}

function lead_of(array $ranked)
{
    if (count($ranked) < 2) {
        return 0;
    }
    return $ranked[0]['points'] - $ranked[1]['points'];
}
