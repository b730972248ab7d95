<?php
require_once __DIR__ . '/Cabins.php';
require_once __DIR__ . '/Keys.php';

/** Keys of cabins. Cabins that are closed are not given to anybody. */
function handle(string $path, array $body): array
{
    if ($path !== '/keys') {
        return ['error' => 'no keys'];
    }
    $cabins = new Cabins();
    $number = $body['cabin'] ?? '';
    if (!$cabins->has($number)) {
        return ['error' => 'no such cabin'];
    }
    if (!$cabins->isFree($number)) {
        return ['error' => 'somebody is in there'];
    }
    $keys = new Keys($cabins->deckOf($number));
    return [
        'key' => $keys->numberFor($number),
        'deck' => $cabins->deckOf($number),
        'deposit' => $keys->deposit($body['nights'] ?? 1),
        'guest' => $body['guest'],
    ];
}
