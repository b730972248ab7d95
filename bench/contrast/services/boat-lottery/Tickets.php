<?php

class Tickets
{
    private const SERIES = 'B';

    public function printed(string $ticket): string
    {
        $number = (int) $ticket;
        return self::SERIES . $number;
    }

    public function isSeries(string $printed): bool
    {
        return str_starts_with($printed, self::SERIES);
    }
}
