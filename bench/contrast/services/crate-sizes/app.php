<?php

require_once __DIR__ . '/Quote.php';
require_once __DIR__ . '/Checks.php';

/** What it costs to have crates taken along. */
function handle(string $path, array $body): array
{
    if ($path !== '/crates') {
        return ['error' => 'no such office'];
    }
    $problem = Checks::problem($body);
    if ($problem !== '') {
        return ['error' => $problem];
    }
    [$wide, $long, $high] = $body['size'];
    $quote = new Quote($body['what'], (float) $body['kg'], $body['count'] ?? 1);
    return $quote->forSize($wide, $long, $high);
}
