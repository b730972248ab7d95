<?php

// Guests of the captain's dinner, and where they sit.
require_once __DIR__ . '/guests.php';
require_once __DIR__ . '/tables.php';

function handle($path, $body)
{
    $name = ucfirst(strtolower(trim($body['name'] ?? '')));
    $wanted = (int) ($body['table'] ?? 0);
    if ($name === '') {
        return ['ok' => false, 'why' => 'who?'];
    }
    $guest = guest($name);
    $table = $guest === null ? null : seat($guest, $wanted);
    return [
        'ok' => $guest !== null,
        'name' => $name,
        'table' => $table,
        'note' => note($guest, $table, $wanted),
    ];
}

function note($guest, $table, $wanted)
{
    if ($guest === null) {
        return 'not on the list';
    }
    return $table === $wanted ? 'as wished' : 'moved';
}
