<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Lines that are followed: at each, which variables of the function have changed since its line before. A call is told from
 * another by how deep it stands, and from the one before it in the same place by passing the function's first point.
 */
final class Followed
{
    /** Characters of a value that are compared and told. */
    private const WIDTH = 200;
    /** Variables that are not the function's own. */
    private const GLOBALS = ['GLOBALS', '_GET', '_POST', '_COOKIE', '_FILES', '_SERVER', '_ENV', '_REQUEST', '_SESSION', 'argv', 'argc'];

    /** @var array<int, array{int, array<string, array{string, string}>}> by depth: number of the call, texts and types */
    private static array $calls = [];
    private static int $next = 0;

    /** @param array<string, mixed> $variables */
    public static function pass(int $number, array $variables, Outline $outline, int $point): void
    {
        $now = \microtime(true);
        if (!Hits::isAllowed($number, $now)) {
            return;
        }
        $depth = \count(\debug_backtrace(\DEBUG_BACKTRACE_IGNORE_ARGS));
        $known = self::$calls[$depth] ?? null;
        [$call, $before] = $known === null || $outline->opens($point) ? [++self::$next, []] : $known;
        $shown = self::shown($variables);
        // What was called from here has ended.
        self::$calls = \array_filter(self::$calls, static fn(int $other): bool => $other < $depth, \ARRAY_FILTER_USE_KEY);
        self::$calls[$depth] = [$call, $shown];
        $changed = \array_filter(
            $shown,
            static fn(array $value, string $name): bool => ($before[$name] ?? null) !== $value,
            \ARRAY_FILTER_USE_BOTH,
        );
        $row = ['frame' => $call, 'name' => $outline->functionAt($point), 'changed' => (object) $changed];
        Hits::add([$number, (int) ($now * 1e6), $row], $now);
    }

    /**
     * @param array<string, mixed> $variables
     * @return array<string, array{string, string}>
     */
    private static function shown(array $variables): array
    {
        $shown = [];
        foreach ($variables as $name => $value) {
            if (\in_array($name, self::GLOBALS, true) || \str_starts_with((string) $name, 'amber_lantern')) {
                continue;
            }
            $text = match (true) {
                Veil::hides((string) $name) => Veil::HIDDEN,
                \is_string($value) => Hits::plain($value, self::WIDTH),
                default => Values::text($value, self::WIDTH),
            };
            $shown["$$name"] = [$text, Values::type($value)];
        }
        return $shown;
    }
}
