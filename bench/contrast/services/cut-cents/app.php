<?php
require_once __DIR__ . '/money.php';

function handle(string $path, array $body): array
{
    $amount = $body['amount'] ?? 0;
    $cents = cents_of($amount);
    $fee = fee_of($cents);
    $total = $cents + $fee;
    return ['cents' => $cents, 'total' => $total];
}

function fee_of(int $cents): int
{
    if ($cents > 5000) {
        return 150;
    }
    return 50;
}
