<?php
declare(strict_types=1);

namespace AmberLantern;

/** Whether the request is to stop at a statement though no mark is there. */
final class Step
{
    /** into, over, out, request (at the first statement) or '' */
    private static string $mode = '';
    private static int $depth = 0;
    /** The function in which the request stopped last: its file and number. */
    private static string $function = '';
    private static string $reason = 'step';
    /** @var list<int> marks at requests that this stop is for */
    private static array $marks = [];
    /** @var array<string, array<int, list<array<string, mixed>>>> marks that came after their files were included, by file and point */
    private static array $late = [];

    /** The request has stopped at a point. */
    public static function stopped(string $id, int $point): void
    {
        self::$mode = '';
        self::$depth = self::depth();
        self::$function = self::functionAt($id, $point);
        self::$marks = [];
        Points::widen();
    }

    /** The plan has changed while the request ran. */
    public static function planned(): void
    {
        self::placeLate();
        if (Plan::$current['entry'] ?? false) {
            self::$mode = 'into';
            self::$reason = 'pause';
        }
        Probe::lookAtAll(self::$mode !== '' || self::$late !== []);
    }

    /** Goes on by a command of DBGp. */
    public static function go(string $command): void
    {
        self::$mode = ['step_into' => 'into', 'step_over' => 'over', 'step_out' => 'out'][$command] ?? '';
        self::$reason = 'step';
        self::findLate();
        Probe::lookAtAll(self::$mode !== '' || self::$late !== []);
    }

    /** Whether a mark wants this request at the first line of the project's code. */
    public static function waitForRequest(): void
    {
        $request = Request::current();
        $marks = [];
        foreach ($request === null ? [] : Plan::$current['requests'] as $mark) {
            if (Request::matches($mark, $request)) {
                $marks[] = $mark;
            }
        }
        if ($marks === [] && !Plan::$current['entry']) {
            return;
        }
        self::$mode = 'request';
        self::$reason = $marks === [] ? 'entry' : 'breakpoint';
        self::$marks = $marks;
        Probe::lookAtAll(true);
    }

    /** Why to stop here; '' where not. */
    public static function reasonAt(string $id, int $point): string
    {
        if (self::$mode === '') {
            return '';
        }
        if (self::$mode === 'request') {
            return self::$marks === [] ? self::$reason : '';
        }
        $depth = self::depth();
        $stops = match (self::$mode) {
            // Another function at the same depth was called by the statement that is passed over.
            'over' => $depth < self::$depth || $depth === self::$depth && self::functionAt($id, $point) === self::$function,
            'out' => $depth < self::$depth,
            default => true,
        };
        return $stops ? self::$reason : '';
    }

    /** How many calls deep the program is, without ours. */
    private static function depth(): int
    {
        $trace = \debug_backtrace(\DEBUG_BACKTRACE_IGNORE_ARGS);
        $own = 0;
        foreach ($trace as $entry) {
            if (!\str_starts_with($entry['class'] ?? '', __NAMESPACE__ . '\\') && $entry['function'] !== 'eval') {
                break;
            }
            $own += 1;
        }
        return \count($trace) - $own;
    }

    private static function functionAt(string $id, int $point): string
    {
        return $id . ':' . Files::outlineOf($id)->points[$point][3];
    }

    /** Code of marks that are not spliced into the file: those at the beginning of a request, and those that came later. */
    public static function lateMarks(string $id, int $point): string
    {
        $marks = self::$late[$id][$point] ?? [];
        if (self::$mode === 'request' && self::$marks !== []) {
            \array_push($marks, ...self::$marks);
            self::$mode = '';
            self::$marks = [];
            Probe::lookAtAll(self::$late !== []);
        }
        return $marks === [] ? '' : Probe::codeOf($marks, $id, $point);
    }

    /** Marks of the plan that the files that are loaded do not have in them. */
    private static function findLate(): void
    {
        if (Plan::refresh()) {
            self::placeLate();
        }
    }

    private static function placeLate(): void
    {
        self::$late = [];
        foreach (Files::$paths as $id => $path) {
            $wanted = Plan::$current['files'][$path] ?? [];
            $functions = Plan::isForeign($path) ? [] : Plan::$current['functions'];
            if ($wanted === [] && $functions === []) {
                continue;
            }
            foreach (Files::placed(Files::outlineOf($id), $wanted, $functions) as $point => $marks) {
                $known = \array_column(Files::$spliced[$id][$point] ?? [], 'id');
                foreach ($marks as $mark) {
                    if (!\in_array($mark['id'], $known, true)) {
                        self::$late[$id][$point][] = $mark;
                    }
                }
            }
        }
    }
}
