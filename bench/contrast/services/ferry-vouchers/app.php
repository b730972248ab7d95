<?php

require_once __DIR__ . '/Vouchers.php';
require_once __DIR__ . '/Dates.php';

/** Vouchers: until when they count, and what they take off. */
function handle(string $path, array $body): array
{
    if ($path !== '/vouchers') {
        return ['error' => 'not found'];
    }
    $voucher = Vouchers::find((string) $body['code']);
    if ($voucher === null) {
        return ['error' => 'no such voucher'];
    }
    $on = Dates::plain($body['on']);
    $until = Dates::plain($voucher['until']);
    if (Dates::isAfter($on, $until)) {
        return ['error' => 'it has ended', 'until' => $voucher['until']];
    }
    $total = (float) $body['total'];
    return ['left' => Vouchers::reduce($voucher, $total), 'until' => $voucher['until']];
}
