<?php
function make_slip(string $name, string $deck, float $weight): array
{
    $fee = 0;
    if ($deck === 'any') {
        $fee = 2;
    }
    $total = $fee + $weight * 0.5;
    return ['name' => $name, 'deck' => $deck, 'total' => $total];
}
