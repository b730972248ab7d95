<?php

require_once __DIR__ . '/Waiting.php';
require_once __DIR__ . '/Display.php';

/** The queue at the ticket office: how long it takes. */
function handle(string $path, array $body): array
{
    if ($path !== '/queue') {
        return ['error' => 'not found'];
    }
    $desks = max(1, (int) $body['desks']);
    $waiting = (int) $body['waiting'];
    if ($waiting < 0) {
        return ['error' => 'how many?'];
    }
    $pace = empty($body['slow']) ? Waiting::PACE : Waiting::SLOW;
    $rounds = Waiting::rounds($waiting, $desks);
    $minutes = $rounds * $pace;
    return [
        'rounds' => $rounds,
        'minutes' => $minutes,
        'text' => Display::text($minutes),
        'desks' => Display::desks($desks),
    ];
}
