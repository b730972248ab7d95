<?php
require_once __DIR__ . '/seals.php';
require_once __DIR__ . '/goods.php';

/** Boxes are opened by whoever knows their seal. */
function handle(string $path, array $body): array
{
    if ($path !== '/seals') {
        return ['error' => 'no boxes'];
    }
    $box = $body['box'] ?? '';
    if (!has_box($box)) {
        return ['error' => 'no such box'];
    }
    $isOpen = opens($box, $body['seal'] ?? '');
    $fee = fee_for($body['goods'] ?? 'other');
    if (!$isOpen) {
        $fee = $fee + 5;
    }
    return [
        'box' => $box,
        'open' => $isOpen,
        'fee' => $fee,
        'note' => $isOpen ? 'here you are' : 'the seal is another',
    ];
}
