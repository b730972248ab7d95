<?php

// Power that boats take at their berths.
require_once __DIR__ . '/meters.php';
require_once __DIR__ . '/bills.php';

function handle($path, $body)
{
    $berth = strtoupper($body['berth'] ?? '');
    if (!is_berth($berth)) {
        return ['ok' => false, 'why' => 'no such berth'];
    }
    [$from, $to] = readings($berth, $body);
    if ($to < $from) {
        return ['ok' => false, 'why' => 'the meter runs backwards'];
    }
    $used = $to - $from;
    $bill = bill_for($used, $body['rate'] ?? RATE);
    return [
        'ok' => true,
        'berth' => $berth,
        'used' => $used,
        'bill' => $bill,
        'class' => class_of($used),
    ];
}
