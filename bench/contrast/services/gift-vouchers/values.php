<?php

// What vouchers are worth.
const VOUCHERS = [
    'SUMMER' => ['kind' => 'part', 'share' => 0.1, 'members' => false],
    'STAFF' => ['kind' => 'sum', 'sum' => 10, 'members' => true],
    'TEST' => ['kind' => 'part', 'share' => 1.0, 'members' => false],
    'FREE' => ['kind' => 'sum', 'sum' => 1000, 'members' => false],
];

function voucher_for($code)
{
    return VOUCHERS[prefix_of($code)] ?? null;
}

function may_use(array $voucher, $name)
{
    return !$voucher['members'] || $name !== null;
}

function taken_off(array $voucher, $total)
{
    if ($voucher['kind'] === 'part') {
        return round($total * $voucher['share'], 2);
    }
    return min($total, $voucher['sum']);
}

function left_on(array $voucher, $off)
{
    return $voucher['kind'] === 'sum' ? $voucher['sum'] - $off : 0;
}
