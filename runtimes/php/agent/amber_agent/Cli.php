<?php
declare(strict_types=1);

namespace AmberLantern;

/** A script on the command line, which has one long run in the place of requests. */
final class Cli
{
    /** Seconds that a script which `amber launch` has started waits for it. */
    private const PATIENCE = 30;
    private const TICK = 5_000;

    /** Whether this script can be attached to while it runs. */
    public static bool $isDescribed = false;

    /** A script that `amber run` has started. */
    public static function attachable(): void
    {
        self::describe();
        self::$isDescribed = true;
        Plan::begin();
    }

    public static function end(): void
    {
        if (self::$isDescribed) {
            @\unlink(self::file());
        }
    }

    private static function file(): string
    {
        return \dirname((string) \get_cfg_var('amber.folder')) . '/' . \getmypid() . '.json';
    }

    /** Tells who has started the script that it is here, and waits for what is wanted of it. */
    public static function launched(): bool
    {
        self::describe();
        $until = \microtime(true) + self::PATIENCE;
        $parent = Plan::parent();
        while (!Plan::load()) {
            // Whoever launched it may have been killed; the script then runs as it would without.
            if (\microtime(true) > $until || Plan::parent() !== $parent) {
                @\unlink(self::file());
                return false;
            }
            \usleep(self::TICK);
            \clearstatcache();
        }
        @\unlink(self::file());
        return true;
    }

    private static function describe(): void
    {
        $file = self::file();
        \file_put_contents("$file.new", \json_encode([
            'version' => 1,
            'runtime' => 'php',
            'runtimeVersion' => \PHP_VERSION,
            'pid' => \getmypid(),
            'startTicks' => 0,
            'signal' => 0,
            'socket' => '',
            'agent' => Start::VERSION,
            'command' => \implode(' ', $_SERVER['argv'] ?? []),
            'folder' => (string) \getcwd(),
            'client' => null,
        ], \JSON_INVALID_UTF8_SUBSTITUTE));
        \rename("$file.new", $file);
    }
}
