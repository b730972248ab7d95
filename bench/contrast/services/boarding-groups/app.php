<?php

require_once __DIR__ . '/Groups.php';
require_once __DIR__ . '/Calls.php';

/** In which order people go on board. */
function handle(string $path, array $body): array
{
    if ($path !== '/boarding') {
        return ['error' => 'not found'];
    }
    $people = [];
    foreach ($body['people'] as [$name, $zone]) {
        if ($zone < 1 || $zone > 4) {
            return ['error' => "no zone $zone"];
        }
        $people[] = ['name' => $name, 'zone' => $zone];
    }
    $groups = Groups::of($people);
    $calls = Calls::texts($groups, !empty($body['pram']));
    return ['groups' => $groups, 'calls' => $calls];
}
