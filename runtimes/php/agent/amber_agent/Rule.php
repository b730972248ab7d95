<?php
declare(strict_types=1);

namespace AmberLantern;

/** Hit rules. Passes are counted over all requests, in a file beside the plan that all of them share. */
final class Rule
{
    /** @var array<int, int> passes of marks that are counted anew in each request */
    private static array $passes = [];

    /** The number of this pass, from 1. */
    public static function pass(int $mark): int
    {
        if (Plan::$marks[$mark]['inRequest']) {
            return self::$passes[$mark] = (self::$passes[$mark] ?? 0) + 1;
        }
        $file = @\fopen(Plan::$current['counts'] . "/$mark", 'c+');
        if ($file === false) {
            return 0;
        }
        \flock($file, \LOCK_EX);
        $pass = (int) \fread($file, 20) + 1;
        \rewind($file);
        \fwrite($file, (string) $pass);
        \fclose($file);
        return $pass;
    }

    /** @param list<string|int> $rule kind and numbers, as the plan has it */
    public static function takes(array $rule, int $pass): bool
    {
        return match ($rule[0]) {
            'nth' => $pass === $rule[1],
            'every' => $pass % $rule[1] === 0,
            'from' => $pass >= $rule[1],
            default => $pass >= $rule[1] && $pass <= $rule[2],
        };
    }
}
