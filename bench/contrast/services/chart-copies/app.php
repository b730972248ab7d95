<?php
require_once __DIR__ . '/Print.php';
require_once __DIR__ . '/Paper.php';

/** Copies of charts: ten pages go on a sheet, and what is begun is a sheet too. */
function handle(string $path, array $body): array
{
    if ($path !== '/charts') {
        return ['error' => 'no charts'];
    }
    $print = new ChartPrint($body['pages'] ?? 1, $body['copies'] ?? 1);
    $paper = new Paper($body['colour'] ?? false);
    $sheets = $print->sheets() * $print->copies();
    return [
        'sheets' => $sheets,
        'paper' => $paper->name(),
        'price' => $paper->price($sheets),
        'binding' => $print->isThick() ? 4 : 2,
    ];
}
