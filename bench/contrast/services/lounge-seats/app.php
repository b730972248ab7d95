<?php
require_once __DIR__ . '/Lounge.php';
require_once __DIR__ . '/Menu.php';

/** Seats in the lounge. */
function handle(string $path, array $body): array
{
    if ($path !== '/lounge') {
        return ['error' => 'no lounge'];
    }
    $seats = (int) ($body['seats'] ?? 1);
    $lounge = new Lounge($body['deck'] ?? 'lower');
    if (!$lounge->has($seats)) {
        return ['error' => 'so many seats there are not'];
    }
    $menu = new Menu();
    $sum = $lounge->price($seats);
    if ($body['meal'] ?? false) {
        $sum += $menu->price($seats);
    }
    return ['seats' => $seats, 'deck' => $lounge->deck(), 'sum' => $sum];
}
