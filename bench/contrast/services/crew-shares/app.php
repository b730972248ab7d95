<?php
require_once __DIR__ . '/Shares.php';
require_once __DIR__ . '/Market.php';

/** The catch is sold, and shared among the crew. */
function handle(string $path, array $body): array
{
    if ($path !== '/shares') {
        return ['error' => 'no shares'];
    }
    $crew = $body['crew'] ?? [];
    if ($crew === []) {
        return ['error' => 'who was on board?'];
    }
    $market = new Market();
    $sum = $market->proceeds($body['catch'], $body['ice'] ?? 0);
    $shares = new Shares($sum, $crew);
    $given = $shares->all();
    return [
        'sum' => $sum,
        'shares' => $given,
        'given' => array_sum($given),
        'isWhole' => array_sum($given) === $sum,
    ];
}
