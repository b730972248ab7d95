<?php
// Runs a file as it is, and with every probe there is in it: it has to print the same. Stands for the agent's own classes.
namespace AmberLantern;

foreach (['Outline', 'Cursor', 'Expressions', 'Declarations', 'Rewriter', 'Splice', 'Asking'] as $name) {
    require "/agent/$name.php";
}

final class Probe
{
    public static int $left = \PHP_INT_MAX;
    public static int $mark = 0;
    public static int $told = 0;
    /** @var list<string> */
    public static array $failed = [];
    /** @var array<string, bool> */
    public static array $points = [];

    public static function log(int $id, array $values): void
    {
        self::$told += \count($values);
    }

    public static function failed(int $id, \Throwable $error): void
    {
        self::$failed[] = $error->getMessage();
    }

    public static function pass(string $id, int $point): string
    {
        self::$points["$id $point"] = true;
        return 'return false;';
    }

    public static function at(string $id, int $point): string
    {
        return 'return false;';
    }
}

final class Errors
{
    public static function isNew(\Throwable $error): bool
    {
        return true;
    }

    public static function raised(\Throwable $error, string $id, int $point): string
    {
        return ';';
    }
}

$source = \file_get_contents('/ferry.php');
$outline = Rewriter::outline($source);
$marks = [];
foreach ($outline->points as $number => [$kind]) {
    if ($kind !== 'f' && $kind !== 'x') {
        $marks[$number] = [['id' => $number + 1, 'kind' => 'log', 'values' => ["$number"], 'condition' => '1 < 2']];
    }
}
$text = Splice::text($outline, 'id', true, $marks, true);
\file_put_contents('/spliced.php', $text);
\ob_start();
(static function (): void {
    require WITH_MARKS ? '/spliced.php' : '/ferry.php';
})();
echo \json_encode([
    'version' => \PHP_VERSION,
    'printed' => \ob_get_clean(),
    'told' => Probe::$told,
    'points' => \count(Probe::$points),
    'marks' => \count($marks),
    'failed' => Probe::$failed,
    'lines' => \substr_count($text, "\n") === \substr_count($source, "\n"),
    'functions' => \array_column($outline->functions, 0),
]);
