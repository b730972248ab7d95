<?php
require_once __DIR__ . '/fares.php';

function handle(string $path, array $body): array
{
    $adults = $body['adults'] ?? 0;
    $children = $body['children'] ?? 0;
    $sum = 0;
    if ($adults > 0) {
        $sum += adult_fare($adults);
    }
    if ($children > 0) {
        $sum += child_fare($adults);
    }
    return ['sum' => $sum, 'people' => $adults + $children];
}
