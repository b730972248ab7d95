<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Errors and warnings of the program.
 *
 * The program's calls that set handlers come here, so that its own are called as if ours were not there, and so that what a
 * mark's expression warns of never reaches the program.
 */
final class Errors
{
    /** @var list<array{callable|null, int}> the program's own handlers of warnings, and which they take */
    private static array $handlers = [[null, \E_ALL]];
    /** @var list<callable|null> */
    private static array $uncaught = [null];
    /** The error that was looked at last, which comes by again in every function that it leaves. */
    private static ?\WeakReference $seen = null;
    private static bool $isQuiet = false;

    public static function install(): void
    {
        \set_error_handler([self::class, 'handle']);
        if (self::wants('raised', '') || self::wants('uncaught', '')) {
            \set_exception_handler([self::class, 'handleUncaught']);
        }
    }

    /** Runs our own code so that its warnings do not reach the program. */
    public static function quietly(callable $run): mixed
    {
        $outer = self::$isQuiet;
        self::$isQuiet = true;
        try {
            return $run();
        } finally {
            self::$isQuiet = $outer;
        }
    }

    /** In the place of `set_error_handler`. */
    public static function set(?callable $callback, int $levels = \E_ALL): mixed
    {
        $before = \end(self::$handlers)[0];
        self::$handlers[] = [$callback, $levels];
        return $before;
    }

    /** In the place of `restore_error_handler`. */
    public static function restore(): bool
    {
        if (\count(self::$handlers) > 1) {
            \array_pop(self::$handlers);
        }
        return true;
    }

    /** In the place of `set_exception_handler`. */
    public static function setUncaught(?callable $callback): mixed
    {
        $before = \end(self::$uncaught);
        self::$uncaught[] = $callback;
        \set_exception_handler($callback === null && !self::wants('uncaught', '') ? null : [self::class, 'handleUncaught']);
        return $before;
    }

    /** In the place of `restore_exception_handler`. */
    public static function restoreUncaught(): bool
    {
        if (\count(self::$uncaught) > 1) {
            \array_pop(self::$uncaught);
        }
        \set_exception_handler(\end(self::$uncaught) === null && !self::wants('uncaught', '') ? null : [self::class, 'handleUncaught']);
        return true;
    }

    /** Called by the interpreter for every warning; false has it go on in its own way. */
    public static function handle(int $level, string $text, string $file = '', int $line = 0): mixed
    {
        if (Probe::$isBusy) {
            // Only what is computed for who is attached can warn while the request is held.
            if (\class_exists(Paused::class, false) && Paused::$warning === '') {
                Paused::$warning = $text;
                Paused::$isAsked = \str_ends_with($file, "eval()'d code");
            }
            return true;
        }
        if (self::$isQuiet || \str_starts_with($file, __DIR__)) {
            return true;
        }
        if (Probe::$mark !== 0) {
            Probe::warned($text);
            return true;
        }
        $isTold = Plan::$current !== null && self::wants('warning', self::levelName($level));
        if ($isTold && ($level & \error_reporting()) !== 0 && !Plan::isForeign($file)) {
            self::warned($level, $text, $file, $line);
        }
        [$handler, $levels] = \end(self::$handlers);
        if ($handler === null || ($levels & $level) === 0) {
            return false;
        }
        // The interpreter takes the handler out while it runs, so that its own warnings go their usual way.
        \set_error_handler(null);
        try {
            return $handler($level, $text, $file, $line);
        } finally {
            \restore_error_handler();
        }
    }

    /** Called by the interpreter for an error that nobody has caught, when the stack is gone. */
    public static function handleUncaught(\Throwable $error): void
    {
        self::raisedOutside($error);
        $handler = \end(self::$uncaught);
        if ($handler === null) {
            // Without any handler the interpreter tells of it in its own words.
            \restore_exception_handler();
            throw $error;
        }
        $handler($error);
    }

    /** Whether an error that is leaving a function has not been looked at. */
    public static function isNew(\Throwable $error): bool
    {
        return Plan::$current !== null && !Probe::$isBusy && self::$seen?->get() !== $error;
    }

    /** Code for the function that an error is leaving: its variables are still there. */
    public static function raised(\Throwable $error, string $id, int $point): string
    {
        self::$seen = \WeakReference::create($error);
        try {
            if (!Plan::refresh() || !self::isWanted($error, false)) {
                return '';
            }
            Start::need('Session', 'Paused', 'Stack', 'Step', 'Request', 'Values', 'Veil');
            $isBegun = Paused::begin('error', [], $id, $point, $error);
            Paused::at(self::lineIn($error, Files::$paths[$id], $id, $point));
            return $isBegun ? Paused::CODE : '';
        } catch (\Throwable $ours) {
            return Probe::giveUp($ours);
        }
    }

    private static function isWanted(\Throwable $error, bool $isUncaught): bool
    {
        $types = [\get_class($error), ...\array_values(\class_parents($error) ?: []), ...\array_values(\class_implements($error) ?: [])];
        foreach ($types as $type) {
            if (self::wants('raised', $type)) {
                return true;
            }
        }
        foreach ($types as $type) {
            if (self::wants('uncaught', $type) && ($isUncaught || !self::isCaught($types))) {
                return true;
            }
        }
        return false;
    }

    /**
     * Whether some caller has a `try` around its call that catches one of the types. That is a forecast: what catches it may
     * throw it again.
     * @param list<string> $types
     */
    private static function isCaught(array $types): bool
    {
        foreach (\debug_backtrace(\DEBUG_BACKTRACE_IGNORE_ARGS) as $entry) {
            $id = Files::idOf($entry['file'] ?? '');
            if (!isset(Files::$paths[$id])) {
                continue;
            }
            foreach (Files::outlineOf($id)->tries as [$from, $to, $caught]) {
                $isInside = $entry['line'] >= $from && $entry['line'] <= $to;
                if ($isInside && \array_intersect(\array_map('strtolower', $caught), \array_map('strtolower', $types)) !== []) {
                    return true;
                }
            }
        }
        return false;
    }

    /** The line of a function at which an error left it: where it was thrown, or the call through which it came. */
    private static function lineIn(\Throwable $error, string $file, string $id, int $point): int
    {
        $outline = Files::outlineOf($id);
        [, $from, $to] = $outline->functions[$outline->points[$point][3]] ?? ['', 0, \PHP_INT_MAX];
        foreach ([['file' => $error->getFile(), 'line' => $error->getLine()], ...$error->getTrace()] as $entry) {
            if (($entry['file'] ?? '') === $file && $entry['line'] >= $from && $entry['line'] <= $to) {
                return $entry['line'];
            }
        }
        return $outline->points[$point][1];
    }

    /** An error that came out of code that is in no function, where only its globals are left. */
    private static function raisedOutside(\Throwable $error): void
    {
        $id = Files::idOf($error->getFile());
        if (!self::isNew($error) || !isset(Files::$paths[$id]) || !self::isWanted($error, true)) {
            return;
        }
        self::stopHere($error, $error->getFile(), $error->getLine());
    }

    private static function warned(int $level, string $text, string $file, int $line): void
    {
        if (isset(Files::$paths[Files::idOf($file)])) {
            self::stopHere(new \ErrorException($text, 0, $level, $file, $line), $file, $line, self::levelName($level));
        }
    }

    /** Stops where no code of ours can be evaluated among the program's: what is left are arguments and globals. */
    private static function stopHere(\Throwable $error, string $file, int $line, string $name = ''): void
    {
        try {
            if (!Plan::refresh()) {
                return;
            }
            Start::need('Session', 'Paused', 'Stack', 'Step', 'Request', 'Values', 'Veil');
            $id = Files::idOf($file);
            $point = \max(0, Files::outlineOf($id)->pointFor($line));
            if (Paused::begin('error', [], $id, $point, $error, $name)) {
                Paused::apart($name === '' ? Stack::ofError($error) : Stack::aroundWarning($file, $line));
            }
        } catch (\Throwable $ours) {
            Probe::giveUp($ours);
        }
    }

    /** Whether a kind of error is marked, of a type or ('') of any. */
    private static function wants(string $filter, string $type): bool
    {
        foreach (Plan::$current['errors'] ?? [] as $wanted) {
            if ($wanted['filter'] !== $filter) {
                continue;
            }
            if ($type === '' || $wanted['types'] === []) {
                return true;
            }
            foreach ($wanted['types'] as $name) {
                $name = \strtolower(\ltrim($name, '\\'));
                $has = \strtolower($type);
                if ($name === $has || \str_ends_with($has, "\\$name")) {
                    return true;
                }
            }
        }
        return false;
    }

    private static function levelName(int $level): string
    {
        return match ($level) {
            \E_WARNING, \E_USER_WARNING => 'warning',
            \E_NOTICE, \E_USER_NOTICE => 'notice',
            \E_DEPRECATED, \E_USER_DEPRECATED => 'deprecated',
            default => 'error',
        };
    }
}
