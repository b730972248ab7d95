<?php

require_once __DIR__ . '/Manifest.php';
require_once __DIR__ . '/Weights.php';

/** Cargo that several carts have brought. */
function handle(string $path, array $body): array
{
    if ($path !== '/cargo') {
        return ['error' => 'not found'];
    }
    $manifest = new Manifest();
    foreach ($body['loads'] as $load) {
        if ($load === []) {
            continue;
        }
        $manifest->add($load);
    }
    $weights = new Weights(!empty($body['cold']));
    return [
        'goods' => $manifest->goods(),
        'kinds' => count($manifest->goods()),
        'kg' => $weights->of($manifest->goods()),
    ];
}
