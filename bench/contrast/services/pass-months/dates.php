<?php

function is_day(string $text): bool
{
    return preg_match('/^\d{4}-\d\d-\d\d$/', $text) === 1;
}

function end_of(string $from, int $months): string
{
    $end = strtotime("+$months months", strtotime($from));
    return date('Y-m-d', $end);
}

function days_between(string $from, string $until): int
{
    $seconds = strtotime($until) - strtotime($from);
    return (int) round($seconds / 86400);
}
