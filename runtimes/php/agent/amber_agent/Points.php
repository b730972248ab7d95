<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Which files have points for steps. Of a large program to have them everywhere costs more than it is worth while nobody stops:
 * then only files with marks have them, until a request like one that has stopped comes.
 */
final class Points
{
    /** Bytes of files without marks that a request may have points in: some 50 ms to compile. */
    private const LARGE = 256 * 1024;

    private static bool $isNear = false;
    private static int $bytes = 0;

    /** @param array<string, mixed> $plan what is wanted of this request */
    public static function plan(array $plan): void
    {
        self::$isNear = ($plan['near'] ?? false) && !self::isStepped($plan);
    }

    /**
     * Whether this request has them everywhere nevertheless: one like it has stopped, or it is to stop at its first line.
     * @param array<string, mixed> $plan
     */
    private static function isStepped(array $plan): bool
    {
        Start::need('Request');
        $request = Request::current();
        foreach ($request === null ? [] : [...$plan['stepped'], ...$plan['requests']] as $wanted) {
            if (Request::matches($wanted, $request)) {
                return true;
            }
        }
        return $request === null || $plan['entry'];
    }

    /** The request has stopped: what it includes from now on has points. */
    public static function widen(): void
    {
        self::$isNear = false;
    }

    /** Whether all files of the project have them. */
    public static function areEverywhere(): bool
    {
        return !self::$isNear;
    }

    /** Whether a file of the project has them. */
    public static function areIn(string $path): bool
    {
        return !self::$isNear || (Plan::$current['files'][$path] ?? []) !== [] || Leads::isCalled($path);
    }

    /**
     * A file without marks has points. That a program is large is told whose plan it is.
     * @param array<int|string, int>|false $status
     */
    public static function weigh(array|false $status): void
    {
        $before = self::$bytes;
        self::$bytes += $status === false ? 0 : $status['size'];
        $isLarge = $before <= self::LARGE && self::$bytes > self::LARGE && \PHP_SAPI !== 'cli';
        if ($isLarge && !(Plan::$current['near'] ?? true)) {
            @\touch(Plan::$current['counts'] . '/large');
        }
    }
}
