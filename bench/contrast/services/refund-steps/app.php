<?php

// What is paid back when somebody cancels.
require_once __DIR__ . '/shares.php';
require_once __DIR__ . '/letters.php';

function handle($path, $body)
{
    $paid = (float) ($body['paid'] ?? 0);
    $hours = (int) ($body['hours'] ?? 0);
    if ($paid <= 0) {
        return ['ok' => false, 'why' => 'nothing was paid'];
    }
    $step = step_for($hours);
    $refund = refund_of($paid, $step['share']);
    $fee = fee_for($refund, !empty($body['fee']));
    $back = max(0, $refund - $fee);
    return [
        'ok' => true,
        'step' => $step['name'],
        'refund' => $back,
        'kept' => round($paid - $back, 2),
        'letter' => letter_for($step['name'], $back),
    ];
}
