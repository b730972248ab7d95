<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Which files lead to those with marks in them: only these are read, changed and compiled for a request, everything else
 * comes from opcache as if nobody were attached.
 *
 * An include can lead to a file only if what it names ends as that file's name does (`require $folder . '/tables.php'`); one
 * that names its file by other means can lead anywhere. That is written down of each file when it is first met, in a list in
 * the cache, and looked up from there as long as the files are as they were.
 */
final class Leads
{
    /** Seconds between two looks whether the files are as they were. */
    private const CHECKED_EVERY = 2;
    /** Of a file that can lead anywhere. */
    private const ANYWHERE = '';
    /** Of one that has our code in it in any case, since it sets handlers. */
    private const HANDLES = '*';

    /** @var array<string, int>|null */
    private static ?array $needed = null;
    /** @var array<string, int> files that are written down */
    private static array $known = [];
    /** @var array<string, int> those with functions that are marked by name */
    private static array $called = [];
    /** @var array<string, int> those that cannot be included again, since they declare functions or classes */
    private static array $lasting = [];
    /** @var array<string, int> those that set handlers */
    private static array $handling = [];

    /** Whether a file needs something, leads to one that does, or is not known yet. */
    public static function needs(string $path): bool
    {
        if (self::$needed === null) {
            self::read();
        }
        if (isset(self::$handling[$path])) {
            return true;
        }
        return (isset(self::$needed[$path]) || !isset(self::$known[$path])) && !self::areAllThere();
    }

    /**
     * Whether this request has included every file with marks, and none of them can come again: nothing leads to one then.
     * Any that nobody has met yet may have a function that is marked by name.
     */
    private static function areAllThere(): bool
    {
        if (Plan::$current['functions'] !== []) {
            return false;
        }
        foreach (Plan::$current['files'] as $path => $marks) {
            if ($marks !== [] && !isset(self::$lasting[$path], Files::$spliced[Files::idOf($path)])) {
                return false;
            }
        }
        return true;
    }

    /** Whether a file has a function that is marked by name. */
    public static function isCalled(string $path): bool
    {
        if (self::$needed === null && Plan::$current['functions'] !== []) {
            self::read();
        }
        return isset(self::$called[$path]);
    }

    /** Whether a file is to be written down. */
    public static function isNew(string $path): bool
    {
        return self::$needed !== null && !isset(self::$known[$path]);
    }

    /** Writes down what a file includes, and which functions it has. */
    public static function add(string $path, string $key, Outline $outline): void
    {
        if (!self::isNew($path)) {
            return;
        }
        self::$known[$path] = 0;
        $names = \array_values(\array_unique(\array_map(static fn(array $one): string => \strtolower($one[0]), $outline->functions)));
        $lasts = $outline->declares && !$outline->leaves;
        self::write($path, $key, $outline->handles ? [self::HANDLES] : $outline->endings, $names, $lasts);
    }

    /**
     * At the end of a request: a marked file that came in by another way than is written down has passed its marks by. From
     * then on all files are looked at.
     */
    public static function check(): void
    {
        if (self::$needed === null) {
            return;
        }
        // Those of other requests have no marks here.
        foreach (\array_keys(\array_filter(Plan::$current['files']) + self::$called) as $path) {
            if (!isset(Files::$spliced[Files::idOf($path)]) && \in_array($path, \get_included_files(), true)) {
                self::write(__FILE__, '', [self::ANYWHERE]);
                return;
            }
        }
    }

    /**
     * @param list<string> $ends
     * @param list<string> $names of functions
     * @param bool $lasts whether it cannot be included again
     */
    private static function write(string $path, string $key, array $ends, array $names = [], bool $lasts = false): void
    {
        $line = \json_encode([$path, $key, $ends, $names, $lasts], \JSON_INVALID_UTF8_SUBSTITUTE);
        @\file_put_contents(self::listFile(), "$line\n", \FILE_APPEND);
    }

    private static function listFile(): string
    {
        return Plan::$current['cache'] . '/includes';
    }

    /** What was found out before, or finds it out anew where files have changed. */
    private static function read(): void
    {
        $marked = \array_keys(\array_filter(Plan::$current['files']));
        $wanted = \array_column(Plan::$current['functions'], 'name');
        $kept = Plan::$current['cache'] . '/leads-' . \substr(\sha1(\implode("\n", [...$marked, '', ...$wanted])), 0, 20);
        $list = self::listFile();
        $size = (int) @\filesize($list);
        $before = @\unserialize((string) @\file_get_contents($kept), ['allowed_classes' => false]);
        $isKnown = \is_array($before) && $before[0] === $size && \count($before) === 6;
        if (!$isKnown || \time() - (int) @\filemtime($kept) >= self::CHECKED_EVERY) {
            // One request looks, and others go on by what was found before.
            @\touch($kept);
            [$files, $names, $lasting, $isSame] = self::files($list);
            if (!$isKnown || !$isSame) {
                \clearstatcache();
                $called = self::havingAny($wanted, $names);
                $leading = self::leadingTo([...$marked, ...\array_keys($called)], $files);
                $known = \array_map(static fn(): int => 0, $files);
                $handling = \array_intersect_key($known, \array_filter($files, static fn(array $ends): bool => $ends === [self::HANDLES]));
                $before = [(int) @\filesize($list), $leading, $known, $called, $lasting, $handling];
                Files::keep($kept, \serialize($before));
            }
        }
        [, self::$needed, self::$known, self::$called, self::$lasting, self::$handling] = $before;
        if (\ini_get('opcache.dups_fix')) {
            // What is declared already may be declared again.
            self::$lasting = [];
        }
    }

    /**
     * Files that have one of some functions.
     * @param list<string> $wanted
     * @param array<string, list<string>> $names by file, in lower case
     * @return array<string, int>
     */
    private static function havingAny(array $wanted, array $names): array
    {
        Start::need(...($wanted === [] ? [] : ['Outline']));
        $found = [];
        foreach ($wanted === [] ? [] : $names as $path => $has) {
            foreach ($has as $name) {
                foreach ($wanted as $one) {
                    if (Outline::isCalled($name, $one)) {
                        $found[$path] = 0;
                    }
                }
            }
        }
        return $found;
    }

    /**
     * The list, without files that have changed since.
     * @return array{array<string, list<string>>, array<string, list<string>>, array<string, int>, bool} the ends of what each
     *     includes, and the functions that it has; those that cannot come again; whether no file has changed
     */
    private static function files(string $list): array
    {
        $files = $functions = $lasting = [];
        $kept = '';
        $isSame = true;
        foreach (\explode("\n", (string) @\file_get_contents($list)) as $line) {
            $entry = \json_decode($line, true);
            if (!\is_array($entry)) {
                continue;
            }
            [$path, $key, $ends, $names, $lasts] = $entry + [3 => [], 4 => false];
            if (isset($files[$path]) || $key !== '' && $key !== Files::keyOf($path, @\stat($path))) {
                $isSame = false;
                continue;
            }
            $files[$path] = $ends;
            $functions[$path] = $names;
            if ($lasts) {
                $lasting[$path] = 0;
            }
            $kept .= "$line\n";
        }
        if (!$isSame) {
            Files::keep($list, $kept);
        }
        return [$files, $functions, $lasting, $isSame];
    }

    /**
     * @param list<string> $marked
     * @param array<string, list<string>> $files
     * @return array<string, int>
     */
    private static function leadingTo(array $marked, array $files): array
    {
        $needed = \array_fill_keys($marked, 0);
        $names = self::names($marked);
        $known = self::names(\array_keys($files));
        $isAll = isset($files[__FILE__]);
        do {
            $before = \count($needed);
            foreach ($files as $path => $ends) {
                if (!isset($needed[$path]) && ($isAll || self::canLead($ends, $names, $known))) {
                    $needed[$path] = 0;
                    $names[\basename($path)] = 0;
                }
            }
        } while (\count($needed) > $before);
        return $needed;
    }

    /**
     * @param list<string> $paths
     * @return array<string, int>
     */
    private static function names(array $paths): array
    {
        return \array_fill_keys(\array_map('basename', $paths), 0);
    }

    /**
     * @param list<string> $ends
     * @param array<string, int> $names of files that are needed
     * @param array<string, int> $known of all files
     */
    private static function canLead(array $ends, array $names, array $known): bool
    {
        foreach ($ends as $end) {
            // What no file is known by that name may be anything.
            if (self::ends($names, $end) || !self::ends($known, $end)) {
                return true;
            }
        }
        return false;
    }

    /**
     * Whether one of some names has this end; mostly it is a whole name, which has a slash before it.
     * @param array<string, int> $names
     */
    private static function ends(array $names, string $end): bool
    {
        if (\str_starts_with($end, '/')) {
            return isset($names[\substr($end, 1)]);
        }
        foreach ($names as $name => $_) {
            if (\str_ends_with((string) $name, $end)) {
                return true;
            }
        }
        return false;
    }
}
