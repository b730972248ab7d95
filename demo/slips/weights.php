<?php
declare(strict_types=1);

namespace Skerrow\Slips;

/** What one of a kind weighs, in kilograms. */
function weightOf(string $kind): int
{
    static $weights = null;
    $weights ??= readWeights(__DIR__ . '/../data/weights.csv');
    if (!isset($weights[$kind])) {
        throw new BadSlip("nobody knows what a $kind weighs");
    }
    return $weights[$kind];
}

/** @return array<string, int> */
function readWeights(string $file): array
{
    $weights = [];
    $rows = fopen($file, 'r');
    fgetcsv($rows);
    while (($row = fgetcsv($rows)) !== false) {
        [$kind, $weight] = $row;
        $weights[$kind] = (int) $weight;
    }
    fclose($rows);
    return $weights;
}
