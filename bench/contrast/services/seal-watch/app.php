<?php

require_once __DIR__ . '/Counting.php';
require_once __DIR__ . '/Places.php';

/** Seals that visitors have seen. */
function handle(string $path, array $body): array
{
    if ($path !== '/seals') {
        return ['error' => 'not found'];
    }
    $place = Places::find($body['place']);
    if ($place === null) {
        return ['error' => 'where?'];
    }
    $count = (int) $body['count'];
    $young = (int) ($body['young'] ?? 0);
    if ($count < 0 || $young < 0) {
        return ['error' => 'how many?'];
    }
    $counting = new Counting($place);
    $seen = $counting->split($count, $young);
    return $seen + ['quiet' => $counting->isQuiet($count, $body['wind'] ?? 0)];
}
