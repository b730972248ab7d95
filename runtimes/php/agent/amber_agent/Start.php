<?php
declare(strict_types=1);

namespace AmberLantern;

/** The beginning of a request: whether it is one that somebody looks at, and what has to be there for that. */
final class Start
{
    public const VERSION = '1';

    /** The script that was asked for. */
    public static string $script = '';
    /** Whether the interpreter has opened the script already, so that it has to be included in its place. */
    public static bool $includes = false;
    public static float $began = 0.0;
    /** @var array<string, true> classes that have been asked for: to find that out of the files costs a hit too much */
    private static array $needed = [];

    /**
     * Never raises: a request that we cannot look at is served as it would be without us.
     * @return bool whether anything is to be put into files
     */
    public static function arm(): bool
    {
        if (Plan::$current !== null) {
            // A router has passed the request on to a script.
            return Plan::needsFiles();
        }
        try {
            self::$began = \microtime(true);
            self::$script = (string) ($_SERVER['SCRIPT_FILENAME'] ?? '');
            if (!self::plan()) {
                return false;
            }
            if (!self::isWanted()) {
                Plan::$current = null;
                return false;
            }
            self::prepare();
            return Plan::needsFiles();
        } catch (\Throwable) {
            return false;
        }
    }

    /** Loads classes of the agent. */
    public static function need(string ...$names): void
    {
        foreach ($names as $name) {
            if (!isset(self::$needed[$name])) {
                self::$needed[$name] = true;
                require_once __DIR__ . "/$name.php";
            }
        }
    }

    private static function plan(): bool
    {
        if (\PHP_SAPI === 'cli' && self::claim()) {
            self::need('Cli');
            return Cli::launched();
        }
        if (Plan::load()) {
            return true;
        }
        if (\PHP_SAPI === 'cli' && \getenv('AMBER_PHP_CLI') !== false) {
            self::need('Cli');
            Cli::attachable();
            return true;
        }
        return false;
    }

    private static function isWanted(): bool
    {
        $token = Plan::$current['only'] ?? null;
        if ($token === null) {
            return true;
        }
        $mine = "amber=$token";
        return \in_array($mine, \array_map('trim', \explode(',', $_SERVER['HTTP_TRACESTATE'] ?? '')), true);
    }

    private static function prepare(): void
    {
        self::need('Probe');
        if ((Plan::$current['tells'] ?? false) && self::isCached()) {
            // What every request will need to be told comes from opcache as long as that is on.
            self::need('Told', 'Veil', ...(Plan::needsFiles() ? ['Hits', 'Values', 'Session'] : []));
        }
        \register_shutdown_function([self::class, 'end']);
        if (!Plan::needsFiles()) {
            return;
        }
        self::need('Files', 'Leads', 'Errors');
        self::$script = \realpath(self::$script) ?: self::$script;
        // The built-in server opens the script after us; everywhere else it is open by now.
        self::$includes = \PHP_SAPI !== 'cli-server' && \is_file(self::$script) && Files::needed(self::$script) !== null;
        Errors::install();
        if (Plan::$current['requests'] !== [] || Plan::$current['entry']) {
            self::need('Step', 'Request');
            Step::waitForRequest();
        }
    }

    private static function isCached(): bool
    {
        return \function_exists('opcache_is_script_cached') && @\opcache_is_script_cached(__FILE__);
    }

    /** Whether this is the program that `amber launch` has started. */
    private static function claim(): bool
    {
        $claim = \getenv('AMBER_LAUNCH');
        if ($claim === false) {
            return false;
        }
        $file = @\fopen($claim, 'x');
        if ($file === false) {
            return false;
        }
        \fwrite($file, (string) \getmypid());
        \fclose($file);
        return true;
    }

    /** Runs when the request is done; again behind what the program itself has registered to run then. */
    public static function end(bool $isLast = false): void
    {
        if (!$isLast) {
            \register_shutdown_function([self::class, 'end'], true);
            return;
        }
        if (\class_exists(Cli::class, false)) {
            Cli::end();
        }
        if (Plan::$current !== null && \class_exists(Leads::class, false)) {
            Leads::check();
        }
        $tells = Plan::$current['tells'] ?? false;
        $hasBegun = \class_exists(Session::class, false) && Session::hasBegun();
        if (!$hasBegun) {
            if (Probe::$counts === [] && !$tells) {
                return;
            }
            self::need('Told');
            if (Told::write()) {
                return;
            }
        }
        self::need('Session');
        Session::finish($tells);
    }
}
