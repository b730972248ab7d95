<?php
require_once __DIR__ . '/Tickets.php';
require_once __DIR__ . '/Prizes.php';

/** Tickets of the boat lottery: their texts are kept as they were printed. */
function handle(string $path, array $body): array
{
    if ($path !== '/lottery') {
        return ['error' => 'no lottery'];
    }
    $ticket = $body['ticket'] ?? '';
    if (!preg_match('/^\d+$/', $ticket)) {
        return ['error' => 'that is no ticket'];
    }
    $tickets = new Tickets();
    $printed = $tickets->printed($ticket);
    $prizes = new Prizes($printed);
    return [
        'ticket' => $printed,
        'name' => $body['name'],
        'prize' => $prizes->best(),
        'pairs' => $prizes->pairs(),
    ];
}
