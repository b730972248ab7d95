<?php

// Remarks that customers write, and what the office has to do with them.
require_once __DIR__ . '/words.php';
require_once __DIR__ . '/tasks.php';

function handle($path, $body)
{
    $text = clean($body['remark'] ?? '');
    $tasks = [];
    foreach (topics() as $topic => $words) {
        if (mentions($text, $words)) {
            $tasks[] = task_for($topic);
        }
    }
    if ($tasks === []) {
        $tasks[] = ['who' => 'desk', 'what' => 'read'];
    }
    $urgent = count($tasks) > 1 || str_contains($text, '!');
    return ['tasks' => $tasks, 'urgent' => $urgent, 'length' => strlen($text)];
}
