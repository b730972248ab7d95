<?php

// Whether a boat sails in the wind that blows.
require_once __DIR__ . '/limits.php';
require_once __DIR__ . '/harbours.php';

function handle($path, $body)
{
    $boat = $body['boat'] ?? 'Kestrel';
    $port = $body['port'] ?? 'Tarrin';
    $speed = (float) ($body['speed'] ?? 0);
    $from = strtoupper($body['from'] ?? 'N');
    if (!in_array($from, ['N', 'E', 'S', 'W'], true)) {
        return ['ok' => false, 'why' => 'no such wind'];
    }
    $limit = limit_for($boat, $port, $from);
    if ($limit === null) {
        return ['ok' => false, 'why' => 'no limits are known'];
    }
    $felt = $speed * shelter($port, $from);
    $state = state($felt, $limit);
    $answer = ['ok' => true, 'state' => $state, 'felt' => round($felt, 1)];
    if ($state === 'waits') {
        $answer['again'] = 60;
    }
    if ($state === 'sails' && $felt > $limit['sail'] * 0.8) {
        $answer['note'] = 'rough';
    }
    return $answer;
}

function state($felt, array $limit)
{
    if ($felt > $limit['stay']) {
        return 'stays';
    }
    if ($felt > $limit['sail']) {
        return 'waits';
    }
    return 'sails';
}
