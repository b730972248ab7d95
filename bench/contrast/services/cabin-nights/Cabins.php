<?php

/** Cabins and what a night costs. */
class Cabins
{
    private const ALL = ['A1' => 80, 'B2' => 65, 'C3' => 120];

    public static function get(string $name): ?array
    {
        if (!isset(self::ALL[$name])) {
            return null;
        }
        return ['name' => $name, 'price' => self::ALL[$name], 'deck' => $name[0]];
    }
}
