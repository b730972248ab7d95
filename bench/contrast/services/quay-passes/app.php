<?php

require_once __DIR__ . '/Register.php';
require_once __DIR__ . '/Zones.php';
require_once __DIR__ . '/Fee.php';

/** Passes for the quay: who may come to which zone, and at what price. */
function handle(string $path, array $body): array
{
    if ($path !== '/passes') {
        return ['error' => 'not found'];
    }
    $code = trim((string) ($body['code'] ?? ''));
    if ($code === '') {
        return ['error' => 'which code?'];
    }
    $register = new Register();
    $holder = $register->find($code);
    if ($holder === null) {
        return ['error' => "nobody has $code"];
    }
    $zone = Zones::get((int) $body['zone']);
    $may = $zone['level'] <= $holder['level'];
    return [
        'name' => $holder['name'],
        'zone' => $zone['name'],
        'may' => $may,
        'fee' => $may ? Fee::of($holder, $zone, !empty($body['car'])) : null,
    ];
}
