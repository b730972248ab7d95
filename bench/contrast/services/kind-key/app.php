<?php

// Tickets for vehicles: the lanes' service says where to queue and what it costs.
require_once __DIR__ . '/lanes.php';
require_once __DIR__ . '/tickets.php';

function handle($path, $body)
{
    $vehicle = $body['vehicle'] ?? ['kind' => 'car'];
    $headers = getallheaders();
    $question = question_for($vehicle);
    $lane = ask_lanes($question, $headers['traceparent'] ?? null);
    $ticket = ticket($vehicle, $lane);
    $total = $ticket['price'];
    foreach ($body['people'] ?? [] as $age) {
        $total += $age < 12 ? 6 : 12;
    }
    return ['ticket' => $ticket['text'], 'lane' => $lane['lane'], 'total' => $total];
}
