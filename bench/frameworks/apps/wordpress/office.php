<?php
require_once __DIR__ . '/passage.php';

add_action('init', static function (): void {
    if (preg_match('~^/quotes/(\d+)~', $_SERVER['REQUEST_URI'], $found) === 1) {
        header('Content-Type: text/plain');
        echo quote((int) $found[1]);
        exit;
    }
});
