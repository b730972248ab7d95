<?php

/** What the display says. */
class Display
{
    public static function text(int $minutes): string
    {
        if ($minutes > 60) {
            return 'more than an hour';
        }
        return $minutes < 5 ? 'soon' : "about $minutes minutes";
    }

    public static function desks(int $desks): string
    {
        return $desks === 1 ? 'one desk' : "$desks desks";
    }
}
