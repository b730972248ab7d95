<?php
require_once __DIR__ . '/pages.php';
require_once __DIR__ . '/sailings.php';

function handle(string $path, array $body): array
{
    $all = sailings();
    $page = page($all, $body['page'], $body['size']);
    $names = [];
    foreach ($page as $sailing) {
        $names[] = title($sailing);
    }
    return ['names' => $names, 'count' => count($names)];
}
