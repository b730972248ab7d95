<?php

/** Where a crate stands: rows go along the ship. */
class Hold
{
    private const ROW = 60;
    private const LONGEST = 120;

    public static function place(int $wide, int $long, int $high): array
    {
        $rows = (int) ceil($wide / self::ROW);
        $isLong = $long > self::LONGEST;
        $deck = $high > 50 || $isLong ? 'car deck' : 'hold';
        return ['rows' => $rows, 'is_long' => $isLong, 'deck' => $deck];
    }
}
