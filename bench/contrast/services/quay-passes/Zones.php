<?php

/** Zones of the quay. */
class Zones
{
    private const ALL = [
        1 => ['name' => 'shore', 'level' => 0, 'price' => 10],
        2 => ['name' => 'yard', 'level' => 2, 'price' => 25],
        3 => ['name' => 'pier', 'level' => 3, 'price' => 40],
    ];

    public static function get(int $number): array
    {
        return self::ALL[$number] ?? self::ALL[1];
    }
}
