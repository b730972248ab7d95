<?php

// A notice as a short message: cut to what fits, with a greeting.
require_once __DIR__ . '/cut.php';
require_once __DIR__ . '/gateway.php';

function handle($path, $body)
{
    $name = trim((string) ($body['name'] ?? ''));
    $text = trim((string) ($body['text'] ?? ''));
    if ($name === '' || $text === '') {
        return ['ok' => false, 'why' => 'who, and what'];
    }
    $greeting = greeting($name, !empty($body['urgent']));
    $message = fitted($greeting, $text);
    $sent = send_message($message);
    return [
        'ok' => $sent['ok'],
        'message' => mb_convert_encoding($message, 'UTF-8', 'UTF-8'),
        'parts' => $sent['parts'],
        'cents' => $sent['parts'] * 7,
    ];
}

function greeting($name, $urgent)
{
    return ($urgent ? 'URGENT ' : '') . "$name: ";
}
