<?php

require_once __DIR__ . '/Gas.php';
require_once __DIR__ . '/Limits.php';

/** Dives to the wreck: how much air is needed. */
function handle(string $path, array $body): array
{
    if ($path !== '/dives') {
        return ['error' => 'not found'];
    }
    $depth = (int) $body['depth'];
    if (!Limits::allows($depth, (int) $body['minutes'])) {
        return ['error' => 'too deep, or too long'];
    }
    $gas = new Gas($depth, (int) $body['minutes']);
    $liters = $gas->liters();
    return [
        'liters' => $liters * ($body['group'] ?? 1),
        'bottles' => $gas->bottles(),
        'stop' => Limits::needsStop($depth),
    ];
}
