<?php
require_once __DIR__ . '/zones.php';
require_once __DIR__ . '/days.php';

function check(array $body): ?string
{
    if (($body['zones'] ?? []) === []) {
        return 'which zones?';
    }
    if (($body['days'] ?? 0) < 1) {
        return 'how many days?';
    }
    return null;
}

/** Passes for zones of the bay; companies have zones of their own, by number. */
function handle(string $path, array $body): array
{
    if ($path !== '/passes') {
        return ['error' => 'no passes'];
    }
    $trouble = check($body);
    if ($trouble !== null) {
        return ['error' => $trouble];
    }
    $own = $body['own'] ?? [];
    $prices = prices_with($own);
    $wanted = $body['zones'];
    foreach (array_keys($own) as $number) {
        $wanted[] = $number;
    }
    $a_day = 0.0;
    foreach ($wanted as $zone) {
        $a_day += price_of($zone, $prices);
    }
    $sum = for_days($a_day, $body['days']);
    if ($body['child'] ?? false) {
        $sum = $sum / 2;
    }
    return ['zones' => count($wanted), 'a_day' => $a_day, 'sum' => round($sum, 2)];
}
