<?php

// Whether a pilot may be on duty again: hours of the last days, in windows.
require_once __DIR__ . '/windows.php';
require_once __DIR__ . '/rules.php';

function handle($path, $body)
{
    $hours = $body['hours'] ?? [];
    $name = $body['name'] ?? 'somebody';
    if (!are_hours($hours)) {
        return ['ok' => false, 'why' => 'hours of each day, please'];
    }
    $worst = busiest_window($hours, WINDOW);
    $state = state_for($worst, array_sum($hours));
    return [
        'ok' => true,
        'worst' => $worst,
        'state' => $state,
        'text' => text_for($name, $state),
    ];
}

function are_hours($hours)
{
    if (!is_array($hours) || $hours === []) {
        return false;
    }
    foreach ($hours as $each) {
        if (!is_numeric($each) || $each < 0 || $each > 24) {
            return false;
        }
    }
    return true;
}
