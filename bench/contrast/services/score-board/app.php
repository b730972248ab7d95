<?php

// The board of the regatta: who is first, and by how much.
require_once __DIR__ . '/ranking.php';
require_once __DIR__ . '/prizes.php';

function handle($path, $body)
{
    $scores = [];
    foreach ($body['scores'] ?? [] as $name => $points) {
        if (!is_numeric($points) || $points < 0) {
            return ['ok' => false, 'why' => "what has $name?"];
        }
        $scores[$name] = (int) $points;
    }
    if ($scores === []) {
        return ['ok' => false, 'why' => 'nobody has sailed'];
    }
    $ranked = ranked($scores);
    $lead = lead_of($ranked);
    return [
        'ok' => true,
        'first' => $ranked[0]['name'],
        'lead' => $lead,
        'board' => array_map('line', $ranked),
        'prize' => prize_for($ranked[0]['points'], $lead),
    ];
}

function line(array $row)
{
    return "{$row['place']}. {$row['name']} {$row['points']}";
}
