<?php

/** How deep and how long. */
class Limits
{
    private const DEEPEST = 40;

    public static function allows(int $depth, int $minutes): bool
    {
        return $depth > 0 && $depth <= self::DEEPEST && $minutes <= 60;
    }

    public static function needsStop(int $depth): bool
    {
        return $depth > 18;
    }
}
