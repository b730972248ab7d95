<?php
require_once __DIR__ . '/weights.php';

function handle(string $path, array $body): array
{
    $total = 0;
    foreach ($body['pieces'] ?? [] as $piece) {
        $weight = weight_of($piece);
        $total += $weight;
    }
    $ramp = ramp_for($total);
    return ['total' => $total, 'ramp' => $ramp];
}

function ramp_for(int $total): string
{
    if ($total > 1000) {
        return 'heavy';
    }
    return 'light';
}
