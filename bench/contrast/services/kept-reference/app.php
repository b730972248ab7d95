<?php
require_once __DIR__ . '/lists.php';

function handle(string $path, array $body): array
{
    $rows = rowsOf($body['pieces']);
    $names = [];
    $meters = 0;
    foreach (numbered($rows) as $row) {
        $names[] = $row['title'];
        $meters += $row['length'];
    }
    return ['names' => $names, 'meters' => $meters];
}
