<?php

// A booking form: what was ticked goes on to the booking service.
require_once __DIR__ . '/form.php';
require_once __DIR__ . '/service.php';

function handle($path, $body)
{
    $form = read_form($body);
    $problems = problems_of($form);
    if ($problems !== []) {
        return ['booked' => false, 'problems' => $problems];
    }
    $headers = getallheaders();
    $answer = book($form, $headers['traceparent'] ?? null);
    $lines = array_map(fn ($line) => $line['what'] . ' ' . $line['price'], $answer['lines']);
    return ['booked' => true, 'total' => $answer['total'], 'lines' => $lines];
}
