<?php

require_once __DIR__ . '/Member.php';
require_once __DIR__ . '/Fare.php';

/** The club: what members pay. Whoever is of no level pays the whole fare. */
function handle(string $path, array $body): array
{
    if ($path !== '/club') {
        return ['error' => 'not found'];
    }
    $member = new Member($body['name'], $body['level'] ?? '');
    if (!$member->isKnown()) {
        return ['error' => 'who?'];
    }
    $fare = new Fare($member, !empty($body['family']));
    return ['greeting' => $member->greeting(), 'total' => $fare->total((int) $body['trips'])];
}
