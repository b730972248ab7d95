<?php

// Days as the form sends them.
function is_date($text)
{
    return preg_match('/^\d{4}-\d{2}-\d{2}$/', $text) === 1 && strtotime($text) !== false;
}

function days_between($from, $to)
{
    $begin = strtotime("$from 12:00 UTC");
    $end = strtotime("$to 12:00 UTC");
    return (int) round(($end - $begin) / 86400) + 1;
}

function month_of($day)
{
    return (int) substr($day, 5, 2);
}

function is_high($month)
{
    return $month >= 7 && $month <= 8;
}
