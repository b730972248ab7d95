<?php

// The router of `php -S`: serves `handle($path, $body)` of app.php in the folder it runs in.
require_once getcwd() . '/app.php';
header('Content-Type: application/json');
try {
    echo json_encode(handle($_SERVER['REQUEST_URI'], json_decode(file_get_contents('php://input'), true) ?? []));
} catch (Throwable $error) {
    http_response_code(500);
    echo json_encode(['error' => (string) $error]);
}
