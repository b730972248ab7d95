<?php

/** Nights that are taken: from the day of coming to the day of leaving. */
class Occupied
{
    private const TAKEN = [
        'A1' => [[10, 14], [22, 25]],
        'B2' => [[6, 9]],
        'C3' => [[1, 8], [15, 18]],
    ];

    public static function clash(string $cabin, int $from, int $to): ?int
    {
        foreach (self::TAKEN[$cabin] as [$start, $end]) {
            if ($from <= $end && $to > $start) {
                return $end;
            }
        }
        return null;
    }
}
