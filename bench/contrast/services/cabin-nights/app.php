<?php

require_once __DIR__ . '/Occupied.php';
require_once __DIR__ . '/Cabins.php';
require_once __DIR__ . '/Bill.php';

/** Cabins by night: the day of leaving is free for the next. */
function handle(string $path, array $body): array
{
    if ($path !== '/cabins') {
        return ['error' => 'not found'];
    }
    $cabin = Cabins::get($body['cabin'] ?? '');
    if ($cabin === null) {
        return ['error' => 'no such cabin'];
    }
    [$from, $to] = [(int) $body['from'], (int) $body['to']];
    if ($to <= $from) {
        return ['error' => 'from when to when?'];
    }
    $clash = Occupied::clash($cabin['name'], $from, $to);
    if ($clash !== null) {
        return ['free' => false, 'until' => $clash];
    }
    $bill = new Bill($cabin);
    return ['free' => true, 'total' => $bill->total($to - $from, !empty($body['pet']))];
}
