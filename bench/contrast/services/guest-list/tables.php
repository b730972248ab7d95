<?php

// Tables and how many may sit there.
const ROOM = [1 => 2, 2 => 4, 3 => 2];
const TAKEN = [1 => 1, 2 => 4, 3 => 0];

function seat(array $guest, $wanted)
{
    $free = free_tables();
    if (in_array($wanted, $free, true)) {
        return $wanted;
    }
    return $free[$guest['number'] % count($free)];
}

function free_tables()
{
    $free = [];
    foreach (ROOM as $table => $room) {
        if (TAKEN[$table] < $room) {
            $free[] = $table;
        }
    }
    return $free;
}
