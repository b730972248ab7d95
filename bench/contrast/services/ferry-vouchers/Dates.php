<?php

/** Days as texts that can be compared. */
class Dates
{
    public static function plain(string $day): string
    {
        return date('j.n.Y', strtotime($day));
    }

    public static function isAfter(string $one, string $other): bool
    {
        return strcmp($one, $other) > 0;
    }
}
