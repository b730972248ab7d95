<?php

require_once __DIR__ . '/Articles.php';
require_once __DIR__ . '/Deposit.php';
require_once __DIR__ . '/Till.php';

/** What the kiosk has sold in a day. */
function handle(string $path, array $body): array
{
    if ($path !== '/kiosk') {
        return ['error' => 'not found'];
    }
    $till = new Till(!empty($body['staff']));
    foreach ($body['sold'] as $name => $count) {
        $article = Articles::get($name);
        if ($article === null) {
            return ['error' => "no $name"];
        }
        $till->sell($article, $count);
        $till->deposit(Deposit::of($article, $count));
    }
    return $till->close();
}
