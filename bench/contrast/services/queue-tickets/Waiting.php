<?php

/** Rounds in which all desks serve one each. */
class Waiting
{
    public const PACE = 4;
    public const SLOW = 6;

    public static function rounds(int $waiting, int $desks): int
    {
        if ($waiting === 0) {
            return 0;
        }
        $rounds = intdiv($waiting, $desks) + 1;
        return min($rounds, 30);
    }
}
