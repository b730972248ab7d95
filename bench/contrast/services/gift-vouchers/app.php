<?php

// What a voucher takes off an order.
require_once __DIR__ . '/codes.php';
require_once __DIR__ . '/values.php';

function handle($path, $body)
{
    $code = clean((string) ($body['code'] ?? ''));
    $total = (float) ($body['total'] ?? 0);
    if ($total <= 0) {
        return ['ok' => false, 'why' => 'nothing to pay'];
    }
    if (is_blocked($code)) {
        return ['ok' => false, 'why' => 'this code is not for sale'];
    }
    $voucher = voucher_for($code);
    if ($voucher === null) {
        return ['ok' => true, 'total' => $total, 'off' => 0, 'code' => $code];
    }
    if (!may_use($voucher, $body['name'] ?? null)) {
        return ['ok' => false, 'why' => 'for members only'];
    }
    $off = taken_off($voucher, $total);
    return [
        'ok' => true,
        'total' => round($total - $off, 2),
        'off' => $off,
        'code' => $code,
        'left' => left_on($voucher, $off),
    ];
}
