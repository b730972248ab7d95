<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * What the one who is attached wants to see: a file in the run folder, so that a request that meets none of it does not wait
 * for anybody. docs/php.md describes it.
 */
final class Plan
{
    /** Code that is not the project's own, where nobody has said so yet; the same in runtimes/php/adapter/adapter.ts. */
    private const FOREIGN = ['/vendor/', '^/usr/(share|lib)/', '^phar:'];

    /** Seconds after which what has no plan beside it is taken for left behind. */
    private const LEFT_AFTER = 10;
    /** EPERM (errno(3)). */
    private const NOT_PERMITTED = 1;
    /** Seconds in which whose plan it is is looked for once only: a request asks several times. */
    private const LOOKED_FOR = 0.005;

    /** The folder of plans where no ini file names it (boot/lent.php), and whether the user has named the one around it. */
    public static string $lentFolder = '';
    public static bool $isNamed = false;
    /** The file of ours that stands before the scripts then. */
    public static string $stub = '';

    /** @var array<string, mixed>|null */
    public static ?array $current = null;
    /** @var array<int, array<string, mixed>> marks by number */
    public static array $marks = [];
    private static string $file = '';
    /** Whether a script runs with nobody attached yet. */
    private static bool $isBlank = false;
    private static string $stamp = '';
    /** @var array{int, string, float} a process, its state, and when that was looked for */
    private static array $state = [0, '', 0.0];
    /** The plan as it was read last; times of files are too coarse to tell two of them apart. */
    private static string $text = '';

    private static function folder(): string
    {
        return self::$lentFolder !== '' ? self::$lentFolder : (string) \get_cfg_var('amber.folder');
    }

    /** Reads the plan for this process or the one that started it; false where there is none. */
    public static function load(): bool
    {
        $folder = self::folder();
        if (!self::isSafe($folder)) {
            return false;
        }
        foreach ([\getmypid(), self::parent()] as $pid) {
            $file = "$folder/$pid.json";
            if (\is_file($file)) {
                return self::read($file);
            }
        }
        self::sweep($folder);
        return false;
    }

    /**
     * What clients that were killed have left of other processes goes, so that a request finds nothing to look at. It is left
     * alone while it is new: somebody may be attaching just now.
     */
    private static function sweep(string $folder): void
    {
        if (\time() - (int) @\filemtime($folder) < self::LEFT_AFTER) {
            return;
        }
        // The next one to look comes as much later: others are attached for long, and requests of this process would pay for it.
        @\touch($folder);
        foreach (@\scandir($folder) ?: [] as $name) {
            $pid = (int) $name;
            if ($pid === 0) {
                continue;
            }
            $plan = \json_decode((string) @\file_get_contents("$folder/$pid.json"), true);
            if (!\is_array($plan) || !self::isAlive($plan)) {
                self::clear($folder, $pid);
            }
        }
        @\rmdir($folder);
    }

    /** Takes away everything of whose plan this is, who has ended. */
    public static function clearCurrent(): void
    {
        self::clear(\dirname(self::$file), (int) \basename(self::$file));
        @\rmdir(\dirname(self::$file));
    }

    /** Takes away everything of one attached process. */
    private static function clear(string $folder, int $pid): void
    {
        foreach (@\scandir("$folder/$pid.counts") ?: [] as $name) {
            @\unlink("$folder/$pid.counts/$name");
        }
        @\rmdir("$folder/$pid.counts");
        foreach (['json', 'json.new', 'sock'] as $kind) {
            @\unlink("$folder/$pid.$kind");
        }
    }

    /** A script that is to be attached to while it runs has points for that from its start. */
    public static function begin(): void
    {
        self::$isBlank = true;
        self::$marks = [];
        self::$current = [
            'files' => [], 'functions' => [], 'requests' => [], 'sends' => [], 'errors' => [], 'entry' => false, 'steps' => true,
            'foreign' => self::FOREIGN, 'veil' => ['names' => [], 'off' => false],
            'cache' => \dirname(self::folder()) . '/php-cache',
        ];
        Start::need('Points');
        Points::plan(self::$current);
    }

    public static function isBlank(): bool
    {
        return self::$isBlank;
    }

    /** Whether another plan was read since the last look; one that is gone is left. */
    public static function hasChanged(): bool
    {
        \clearstatcache();
        if (self::$isBlank) {
            return \is_dir(self::folder()) && self::load();
        }
        $stamp = self::stamp();
        if ($stamp === self::$stamp) {
            return false;
        }
        if ($stamp === '' || !self::read(self::$file)) {
            Probe::leave();
            return false;
        }
        return true;
    }

    /** Nobody is attached any more. */
    public static function leave(): void
    {
        self::$current = null;
        self::$marks = [];
        if (\class_exists(Cli::class, false) && Cli::$isDescribed) {
            self::begin();
        }
    }

    /** The adapter gives each plan a time of its own. */
    private static function stamp(): string
    {
        $status = @\stat(self::$file);
        return $status === false ? '' : "{$status['ino']} {$status['mtime']} {$status['size']}";
    }

    /** Reads a plan that may have changed since; false where it is gone, or who made it. */
    public static function refresh(): bool
    {
        $text = @\file_get_contents(self::$file);
        return $text !== false && ($text === self::$text || self::read(self::$file));
    }

    public static function read(string $file): bool
    {
        $text = @\file_get_contents($file);
        $plan = $text === false ? null : \json_decode($text, true);
        if (!\is_array($plan) || ($plan['version'] ?? null) !== 1) {
            return false;
        }
        if (!self::isAlive($plan)) {
            // Whose plan it is was killed, and left it behind.
            self::$file = $file;
            self::clearCurrent();
            return false;
        }
        if ($plan['steps'] && self::isSuspended($plan)) {
            // What would pause waits for nobody; what is told is counted, for when somebody reads again.
            $plan = self::withoutPauses($plan);
        }
        if ($plan['asks'] ?? false) {
            @\touch("{$plan['counts']}/looked");
        }
        self::$file = $file;
        self::$text = $text;
        self::$stamp = self::stamp();
        self::$isBlank = false;
        $plan = self::ofRequest($plan);
        self::$current = $plan;
        if ($plan['steps']) {
            Start::need('Points');
            Points::plan($plan);
        }
        self::$marks = [];
        foreach ([...\array_values($plan['files']), $plan['functions'], $plan['requests'], $plan['sends']] as $marks) {
            foreach ($marks as $mark) {
                self::$marks[$mark['id']] = $mark;
            }
        }
        return true;
    }

    /**
     * The plan without the marks that are for other requests than this one: they are not even put into files.
     * @param array<string, mixed> $plan
     * @return array<string, mixed>
     */
    private static function ofRequest(array $plan): array
    {
        if (!($plan['picks'] ?? false)) {
            return $plan;
        }
        Start::need('Request');
        $request = Request::current();
        $isMine = static fn(array $mark): bool => $mark['only'] === null
            || $request !== null && Request::matches($mark['only'], $request);
        foreach ($plan['files'] as $path => $marks) {
            $plan['files'][$path] = \array_values(\array_filter($marks, $isMine));
        }
        $plan['functions'] = \array_values(\array_filter($plan['functions'], $isMine));
        $plan['requests'] = \array_values(\array_filter($plan['requests'], $isMine));
        $plan['sends'] = \array_values(\array_filter($plan['sends'], $isMine));
        return $plan;
    }

    /**
     * Whether somebody listens still; a process of another container is not seen, but answers.
     * @param array<string, mixed> $plan
     */
    private static function isAlive(array $plan): bool
    {
        if (!$plan['steps'] && self::isThere($plan['client'])) {
            // Who holds nothing need not be looked at closer: what nobody reads is found when much of it lies there.
            return true;
        }
        return self::isAwake($plan);
    }

    /** Whether there is such a process, by a signal that is none (kill(2)); one of another user answers as well. */
    private static function isThere(int $pid): bool
    {
        return \function_exists('posix_kill') && (\posix_kill($pid, 0) || \posix_get_last_error() === self::NOT_PERMITTED);
    }

    /**
     * The same for one that may have ended, and that nobody has asked after.
     * @param array<string, mixed> $plan
     */
    public static function isAwake(array $plan): bool
    {
        $state = self::stateOf($plan);
        if ($state !== '') {
            // A process that has ended stays until its parent asks what became of it, which in a container may be never.
            return !\in_array($state, ['Z', 'X'], true);
        }
        $socket = @\stream_socket_client($plan['address'], $code, $text, 0.5);
        return $socket !== false && \fclose($socket);
    }

    /**
     * Whether whose plan it is has been stopped (proc_pid_stat(5)): it would look at nothing, and hold whatever waits for it.
     * @param array<string, mixed> $plan
     */
    public static function isSuspended(array $plan): bool
    {
        return \in_array(self::stateOf($plan), ['T', 't'], true);
    }

    /**
     * The state of whose plan it is, by its letter (proc_pid_stat(5)); '' where there is no such process to be seen.
     * @param array<string, mixed> $plan
     */
    private static function stateOf(array $plan): string
    {
        [$client, $state, $at] = self::$state;
        $now = \microtime(true);
        if ($client !== $plan['client'] || $now - $at > self::LOOKED_FOR) {
            $client = $plan['client'];
            $stat = (string) @\file_get_contents("/proc/$client/stat");
            $state = $stat === '' ? '' : \substr($stat, (int) \strrpos($stat, ')') + 2, 1);
            self::$state = [$client, $state, $now];
        }
        return $state;
    }

    /**
     * @param array<string, mixed> $plan
     * @return array<string, mixed>
     */
    private static function withoutPauses(array $plan): array
    {
        $tells = static fn(array $marks): array => \array_values(
            \array_filter($marks, static fn(array $mark): bool => $mark['kind'] !== 'break'),
        );
        return [
            'files' => \array_map($tells, $plan['files']),
            'functions' => $tells($plan['functions']),
            'requests' => $tells($plan['requests']),
            'sends' => $tells($plan['sends']),
            'errors' => [],
            'entry' => false,
            'steps' => false,
        ] + $plan;
    }

    /** Nobody else may have put a plan, and thus code, into this folder. */
    private static function isSafe(string $folder): bool
    {
        if ($folder === '' || \is_link($folder)) {
            return false;
        }
        $mode = @\fileperms($folder);
        if ($mode === false || ($mode & 0002) !== 0) {
            return false;
        }
        $isNamed = self::$isNamed || (string) \get_cfg_var('amber.named') !== '';
        return $isNamed || \in_array(@\fileowner($folder), [self::user(), 0], true);
    }

    private static function user(): int
    {
        if (\function_exists('posix_geteuid')) {
            return \posix_geteuid();
        }
        $owner = @\fileowner('/proc/self');
        return $owner === false ? -1 : $owner;
    }

    public static function parent(): int
    {
        if (\function_exists('posix_getppid')) {
            return \posix_getppid();
        }
        return (int) (\explode(' ', (string) @\file_get_contents('/proc/self/stat'))[3] ?? 0);
    }

    /** Whether anything is to be put into files. */
    public static function needsFiles(): bool
    {
        return self::looksAtAll() || self::$current['functions'] !== [] || \array_filter(self::$current['files']) !== [];
    }

    /** Whether all files of the project are looked at, and not only those with marks: for steps, errors and sends. */
    public static function looksAtAll(): bool
    {
        return self::$current['steps'] && Points::areEverywhere() || self::$current['sends'] !== [] || self::$current['errors'] !== [];
    }

    /** Whether a file is not the project's own. */
    public static function isForeign(string $path): bool
    {
        foreach (self::$current['foreign'] as $pattern) {
            if (\preg_match("~$pattern~", $path) === 1) {
                return true;
            }
        }
        return false;
    }
}
