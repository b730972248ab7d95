<?php
require_once __DIR__ . '/dates.php';
require_once __DIR__ . '/prices.php';

function trouble_with(array $body): ?string
{
    if (!is_day($body['from'] ?? '')) {
        return 'from when?';
    }
    if (($body['months'] ?? 0) < 1) {
        return 'how long?';
    }
    return null;
}

/** Passes by the month: they end on the same day of the month, or on its last. */
function handle(string $path, array $body): array
{
    if ($path !== '/months') {
        return ['error' => 'no passes'];
    }
    $trouble = trouble_with($body);
    if ($trouble !== null) {
        return ['error' => $trouble];
    }
    $until = end_of($body['from'], $body['months']);
    $price = price_for($body['months'], $body['child'] ?? false);
    $days = days_between($body['from'], $until);
    return [
        'from' => $body['from'],
        'until' => $until,
        'days' => $days,
        'price' => $price,
        'a_day' => round($price / max(1, $days), 2),
    ];
}
