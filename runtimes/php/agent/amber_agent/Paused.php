<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * A request that is held at a statement.
 *
 * The code below is evaluated where the request stands, so that expressions have its variables, its `$this` and its scope:
 * it asks what to compute next, computes it there, and hands over the result, until the request is to go on. It needs no
 * variables of its own but one for an error, which is taken away again.
 */
final class Paused
{
    public const CODE = 'while(\AmberLantern\Paused::waits(\get_defined_vars(),isset($this)?$this:null)){'
        . 'try{\AmberLantern\Paused::answer(eval(\AmberLantern\Paused::$code));}'
        . 'catch(\Throwable $amber_lantern_caught){\AmberLantern\Paused::failed($amber_lantern_caught);'
        . 'unset($amber_lantern_caught);}}';

    /** What is to be computed where the request stands. */
    public static string $code = '';
    /** @var list<array<string, mixed>> the stack, innermost frame first (Stack::frames) */
    public static array $frames = [];
    /** @var array<string, mixed> the variables of the innermost frame */
    public static array $variables = [];
    public static ?object $object = null;
    /** @var array<int, mixed> results that can be opened further */
    public static array $results = [];
    public static ?\Throwable $error = null;
    /** What the expression that is being computed has warned of. */
    public static string $warning = '';
    /** Whether that was given by the expression itself, and not by what it calls. */
    public static bool $isAsked = false;
    /** @var array{name: string, options: array<string, string>, data: string}|null what the code is for */
    private static ?array $command = null;
    /** @var array{id: string, point: int}|null */
    private static ?array $place = null;
    private static int $line = 0;
    /** Whether no code can be evaluated where the request stands: it was stopped from outside of the code that it is at. */
    public static bool $isApart = false;

    /**
     * Tells who is attached that the request is held; false where nobody is there.
     * @param list<int> $marks
     */
    public static function begin(string $reason, array $marks, string $id, int $point, ?\Throwable $error = null, string $type = ''): bool
    {
        Probe::$isBusy = true;
        Start::need('Commands', 'Property', 'Contexts');
        if (\class_exists(Hits::class, false)) {
            Hits::flush();
        }
        if (!Session::open()) {
            Probe::$isBusy = false;
            return false;
        }
        $outline = Files::outlineOf($id);
        self::$place = ['id' => $id, 'point' => $point];
        self::$line = $outline->points[$point][1];
        self::$frames = [];
        self::$error = $error;
        self::$isApart = false;
        Step::stopped($id, $point);
        Session::tellCounts();
        if (Session::$awaited === null) {
            // Until now nobody has written to us: what is written to a request that has just ended would be an error
            // there, and have it lose what it has not read yet.
            Session::send(Packet::notify('amber_waiting', []));
        }
        // The other side begins with questions and ends them with the first command to go on, which this stop answers.
        while (Session::$awaited === null) {
            $command = Session::receive();
            if ($command === null) {
                self::end();
                return false;
            }
            if (\in_array($command['name'], Commands::GOING_ON, true)) {
                Session::$awaited = [$command['name'], $command['options']['i'] ?? ''];
            } else {
                Commands::plain($command);
            }
        }
        $attributes = ['reason' => $error === null ? $reason : 'error', 'marks' => \implode(',', $marks)];
        if ($error !== null) {
            $attributes += ['type' => $type ?: Values::className($error), 'text' => $error->getMessage()];
        }
        Session::send(Packet::response(
            Session::$awaited,
            ['status' => 'break', 'reason' => $error === null ? 'ok' : 'exception'],
            Packet::element('amber:stop', $attributes, ''),
        ));
        Session::$awaited = null;
        return true;
    }

    /** Where the request stands, when that is not where the point is. */
    public static function at(int $line): void
    {
        self::$line = $line;
    }

    /**
     * Holds the request where no code of ours can be evaluated.
     * @param list<array<string, mixed>> $frames
     */
    public static function apart(array $frames): void
    {
        self::$isApart = true;
        self::$frames = $frames;
        while (self::waits([], null)) {
            continue;
        }
    }

    /**
     * Answers commands until one needs the scope in which the request stands.
     * @param array<string, mixed> $variables
     * @return bool whether $code is to be evaluated there; else the request goes on
     */
    public static function waits(array $variables, ?object $object): bool
    {
        try {
            unset($variables['amber_lantern_caught']);
            self::$variables = \array_diff_key($variables, Contexts::SUPERGLOBALS);
            self::$object = $object;
            if (self::$frames === []) {
                self::$frames = Stack::frames(Files::$paths[self::$place['id']], self::$line);
            }
            while (($command = Session::receive()) !== null) {
                if (\in_array($command['name'], Commands::GOING_ON, true)) {
                    Session::$awaited = [$command['name'], $command['options']['i'] ?? ''];
                    Step::go($command['name']);
                    self::end();
                    return false;
                }
                if ($command['name'] === 'stop' || $command['name'] === 'detach') {
                    Session::send(Packet::response(
                        [$command['name'], $command['options']['i'] ?? ''],
                        ['status' => $command['name'] === 'stop' ? 'stopped' : 'stopping', 'reason' => 'ok'],
                    ));
                    self::end();
                    Session::finish();
                    Probe::leave();
                    Probe::$isBusy = false;
                    if ($command['name'] === 'stop') {
                        exit;
                    }
                    return false;
                }
                try {
                    $code = Commands::codeFor($command);
                } catch (\RuntimeException $refused) {
                    self::$command = $command;
                    self::refuse($refused->getMessage());
                    continue;
                }
                if ($code !== null) {
                    self::$command = $command;
                    self::$warning = '';
                    self::$code = $code;
                    return true;
                }
                Commands::plain($command);
            }
        } catch (\Throwable $error) {
            Probe::giveUp($error);
        }
        self::end();
        return false;
    }

    /** @param array{name: string, options: array<string, string>, data: string}|null $command another one than the code is for */
    public static function answer(mixed $result, ?array $command = null): void
    {
        self::$command = $command ?? self::$command;
        // A name that is not there is null and a warning in PHP; who asks for it wants to know. What is called may have such
        // names of its own.
        if (($result === null || self::$isAsked) && \str_starts_with(self::$warning, 'Undefined ')) {
            self::refuse(self::$warning);
            return;
        }
        Commands::computed(self::$command, $result);
    }

    public static function failed(\Throwable $error): void
    {
        self::refuse(Values::className($error) . ': ' . $error->getMessage());
    }

    private static function refuse(string $why): void
    {
        Session::send(Packet::error([self::$command['name'], self::$command['options']['i'] ?? ''], 206, $why));
    }

    /** What stands before code that is to be as in a frame's file: the name of the namespace and its imports. */
    public static function prefix(int $depth): string
    {
        $frame = self::$frames[$depth] ?? null;
        $id = Files::idOf($frame['file'] ?? '');
        if ($frame === null || !isset(Files::$paths[$id])) {
            return '';
        }
        $outline = Files::outlineOf($id);
        $number = 0;
        foreach ($outline->points as [, $line, $namespace]) {
            if ($line <= $frame['line']) {
                $number = $namespace;
            }
        }
        return $outline->namespaces[$number];
    }

    private static function end(): void
    {
        self::$frames = [];
        self::$variables = [];
        self::$object = null;
        self::$results = [];
        self::$error = null;
        self::$isApart = false;
        Probe::$isBusy = false;
    }
}
