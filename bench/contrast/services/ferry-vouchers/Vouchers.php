<?php

/** What was sold. */
class Vouchers
{
    private const ALL = [
        'v1' => ['until' => '2026-06-30', 'worth' => 20.0, 'kind' => 'amount'],
        'v2' => ['until' => '2026-09-15', 'worth' => 10.0, 'kind' => 'percent'],
    ];

    public static function find(string $code): ?array
    {
        return self::ALL[$code] ?? null;
    }

    public static function reduce(array $voucher, float $total): float
    {
        $off = $voucher['kind'] === 'percent' ? $total * $voucher['worth'] / 100 : $voucher['worth'];
        return max(0.0, $total - $off);
    }
}
