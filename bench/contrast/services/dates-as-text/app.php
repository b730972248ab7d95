<?php
require_once __DIR__ . '/season.php';
require_once __DIR__ . '/prices.php';

function handle(string $path, array $body): array
{
    $isSeason = inSeason($body['on']);
    $price = priceOf($body['kind'], $isSeason);
    return ['season' => $isSeason, 'price' => $price];
}
