<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Serves included files with our code in them.
 *
 * An include of a file that needs something is sent to a stream wrapper of ours, which is there for that one open and says that
 * it has opened the file itself: so the file has its own name everywhere, and opcache, which keeps no streams of others, goes on
 * serving all that needs nothing. The changed text is kept by the file's path, time and size; where a file cannot be changed the
 * original is served, and that is told.
 */
final class Files
{
    /** Set by the interpreter. @var resource|null */
    public $context;
    /** @var array<string, string> path by the name under which spliced code knows the file */
    public static array $paths = [];
    /** @var array<string, Outline> */
    private static array $outlines = [];
    /** @var array<string, array<int, list<array<string, mixed>>>> by file: the marks that are spliced into it, by point */
    public static array $spliced = [];
    /** Of the wrapper that is in place of an include. */
    private const SCHEME = 'amber-lantern';
    /** The scheme for which this stands now, or ''. */
    private static string $armed = '';
    /** Keys of files that need nothing. @var array<string, int>|null */
    private static ?array $plain = null;
    /** The file that is about to be included: as it is named, and its whole path. @var array{string, string} */
    private static array $next = ['', ''];
    private string $text = '';
    private int $at = 0;
    /** @var array<int|string, int> */
    private array $status = [];

    /**
     * Before an include: has the wrapper open the file, unless there is none, it is not one, or it needs nothing.
     * @param mixed $path as the program names the file
     * @return mixed what is to be included in its place
     */
    public static function before(mixed $path): mixed
    {
        $found = self::needed($path);
        if ($found === null) {
            return $path;
        }
        self::arm(self::SCHEME, (string) $path, $found);
        return self::SCHEME . "://$found";
    }

    /** Before the interpreter opens a script by itself: it is asked for by its own name. */
    public static function beforeScript(string $path): void
    {
        $found = self::needed($path);
        if ($found !== null) {
            // What is marked must neither come from what opcache keeps nor go there.
            @\ini_set('opcache.enable', '0');
            \stream_wrapper_unregister('file');
            self::arm('file', $path, $found);
        }
    }

    /** The whole path of a file that is to be included, if it needs something. */
    public static function needed(mixed $path): ?string
    {
        if (Plan::$current === null || self::$armed !== '' || !Plan::needsFiles() || !\is_string($path) && !$path instanceof \Stringable) {
            return null;
        }
        $name = (string) $path;
        // A file that is not there is told of by the interpreter in its own words.
        $found = $name === '' || \str_contains($name, '://') ? null : self::find($name);
        $isNeeded = $found !== null && (Plan::looksAtAll() ? !self::isPlain($found) : Leads::needs($found));
        return $isNeeded ? $found : null;
    }

    private static function arm(string $scheme, string $name, string $found): void
    {
        self::$next = [$name, $found];
        self::$armed = $scheme;
        \stream_wrapper_register($scheme, self::class);
    }

    /** After an include, which may not have opened anything. */
    public static function after(mixed $result): mixed
    {
        self::rest();
        return $result;
    }

    private static function find(string $name): ?string
    {
        $found = \stream_resolve_include_path($name);
        if ($found !== false) {
            return $found;
        }
        // The interpreter also looks beside the file that has the include, which for it is ours here.
        $caller = \debug_backtrace(\DEBUG_BACKTRACE_IGNORE_ARGS, 2)[1]['file'] ?? '';
        return \is_file(\dirname($caller) . "/$name") ? \dirname($caller) . "/$name" : null;
    }

    /** Whether a file is known to need nothing, so that the interpreter may open it by itself. */
    private static function isPlain(string $path): bool
    {
        $plan = Plan::$current;
        if (isset($plan['files'][$path]) || !Plan::isForeign($path)) {
            return false;
        }
        self::$plain ??= \array_flip(\explode("\n", (string) @\file_get_contents(self::plainFile())));
        return isset(self::$plain[self::keyOf($path, @\stat($path))]);
    }

    private static function addPlain(string $key): void
    {
        if (!isset(self::$plain[$key])) {
            self::$plain[$key] = 0;
            @\file_put_contents(self::plainFile(), "$key\n", \FILE_APPEND);
        }
    }

    private static function plainFile(): string
    {
        // One that needs nothing otherwise may send requests.
        return Plan::$current['cache'] . (Plan::$current['sends'] === [] ? '/plain' : '/plain-sends');
    }

    private static function rest(): void
    {
        $scheme = self::$armed;
        self::$armed = '';
        if ($scheme === 'file') {
            \stream_wrapper_restore('file');
        } elseif ($scheme !== '') {
            \stream_wrapper_unregister($scheme);
        }
    }

    public function stream_open(string $path, string $mode, int $options, ?string &$opened): bool
    {
        self::rest();
        try {
            $isNext = \in_array($path, [...self::$next, self::SCHEME . '://' . self::$next[1]], true);
            $whole = $isNext ? self::$next[1] : \realpath($path);
            $status = $whole === false ? false : @\stat($whole);
            if ($status === false || ($status['mode'] & 0170000) !== 0100000) {
                return false;
            }
            $text = self::textOf($whole, $status) ?? \file_get_contents($whole);
            if ($text === false) {
                return false;
            }
            $this->text = $text;
            $this->status = ['size' => \strlen($text), 7 => \strlen($text)] + $status;
            $opened = $whole;
            return true;
        } catch (\Throwable) {
            return false;
        }
    }

    public function stream_read(int $count): string
    {
        $part = \substr($this->text, $this->at, $count);
        $this->at += \strlen($part);
        return $part;
    }

    public function stream_eof(): bool
    {
        return $this->at >= \strlen($this->text);
    }

    /** @return array<int|string, int> */
    public function stream_stat(): array
    {
        return $this->status;
    }

    /** @return array<int|string, int>|false */
    public function url_stat(string $path, int $flags): array|false
    {
        self::rest();
        return @\stat($path);
    }

    public function stream_set_option(int $option, int $first, int $second): bool
    {
        return false;
    }

    public function stream_close(): void
    {
    }

    /**
     * The text of a file with what is to be in it; null where that is its own text.
     * @param array<int|string, int>|false $status
     */
    private static function textOf(string $path, array|false $status): ?string
    {
        $id = self::idOf($path);
        self::$paths[$id] = $path;
        $isForeign = Plan::isForeign($path);
        $steps = !$isForeign && Plan::$current['steps'] && Points::areIn($path);
        $wanted = Plan::$current['files'][$path] ?? [];
        $functions = $isForeign ? [] : Plan::$current['functions'];
        $errors = !$isForeign && Plan::$current['errors'] !== [];
        $key = self::keyOf($path, $status);
        $sends = Plan::$current['sends'] === [] ? '' : 'h';
        $variant = ($steps ? 's' : '') . ($errors ? 'e' : '') . $sends;
        if ($sends !== '') {
            Start::need('Sends', 'Sending');
        }
        if ($wanted !== [] || $functions !== []) {
            $variant .= \substr(\sha1((string) \json_encode([$wanted, $functions])), 0, 12);
        }
        if ($steps && $wanted === []) {
            Points::weigh($status);
        }
        $folder = Plan::$current['cache'];
        $kept = "$folder/$key-$variant.php";
        $text = @\file_get_contents($kept);
        if ($text !== false) {
            // The first line says which marks are at which points, or that the original does.
            if (Leads::isNew($path)) {
                Leads::add($path, $key, self::outline($id, $key, $path));
            }
            $end = (int) \strpos($text, "\n");
            self::$spliced[$id] = $end === 0 ? [] : (\unserialize(\substr($text, 0, $end), ['allowed_classes' => false]) ?: []);
            if (\strlen($text) > $end + 1) {
                return \substr($text, $end + 1);
            }
            if ($variant === $sends) {
                self::addPlain($key);
            }
            return null;
        }
        try {
            $outline = self::outline($id, $key, $path);
            Leads::add($path, $key, $outline);
            $marks = self::placed($outline, $wanted, $functions);
            self::$spliced[$id] = $marks;
            $needed = $steps || $marks !== [] || $errors || $outline->includes;
            Start::need('Splice', 'Asking');
            $text = $needed ? Splice::text($outline, $id, $steps, $marks, $errors) : '';
            $text = $sends === '' ? $text : self::withSends($text, $path, $outline, $id);
        } catch (\CompileError) {
            // The interpreter is about to tell of it, in its own words.
            return null;
        } catch (\Throwable $error) {
            Start::need('Session');
            Session::trouble("$path is served without marks: {$error->getMessage()}");
            return null;
        }
        self::keep($kept, ($marks === [] ? '' : \serialize($marks)) . "\n" . $text);
        return $text === '' ? null : $text;
    }

    /** A text, or the file's own, with ours around the calls that send requests; '' where nothing of ours is in it. */
    private static function withSends(string $text, string $path, Outline $outline, string $id): string
    {
        Start::need('SendSites');
        $before = $text === '' ? (string) \file_get_contents($path) : $text;
        $written = SendSites::written($before, $outline, $id);
        return $written === $before ? $text : $written;
    }

    /** The name by which spliced code knows a file; never a number, which would be another key in an array. */
    public static function idOf(string $path): string
    {
        return 'f' . \substr(\sha1($path), 0, 10);
    }

    /** The outline of a file that has been included. */
    public static function outlineOf(string $id): Outline
    {
        $path = self::$paths[$id];
        return self::outline($id, self::keyOf($path, \stat($path)), $path);
    }

    /** @param array<int|string, int>|false $status */
    public static function keyOf(string $path, array|false $status): string
    {
        $file = $status === false ? '' : "{$status['mtime']} {$status['size']} {$status['ino']}";
        return \substr(\sha1("$path $file " . self::agent()), 0, 20);
    }

    /** The version of what makes the text; the plan has it, so that a request need not look at our files. */
    private static function agent(): string
    {
        static $agent = null;
        return $agent ??= Start::VERSION . \PHP_VERSION . \ini_get('short_open_tag') . (Plan::$current['agent'] ?? self::times());
    }

    private static function times(): string
    {
        $times = static fn(string $name): int => (int) \filemtime(__DIR__ . "/$name.php");
        return \implode(' ', \array_map($times, ['Cursor', 'Files', 'Expressions', 'Declarations', 'Rewriter', 'Outline', 'Splice', 'Asking', 'Expression', 'SendSites']));
    }

    private static function outline(string $id, string $key, string $path): Outline
    {
        if (isset(self::$outlines[$id])) {
            return self::$outlines[$id];
        }
        Start::need('Outline');
        $kept = Plan::$current['cache'] . "/$key.outline";
        if (\is_file($kept)) {
            $outline = \unserialize((string) \file_get_contents($kept), ['allowed_classes' => [Outline::class]]);
            if ($outline instanceof Outline) {
                return self::$outlines[$id] = $outline;
            }
        }
        Start::need('Cursor', 'Expressions', 'Declarations', 'Rewriter');
        $outline = Errors::quietly(static fn() => Rewriter::outline((string) \file_get_contents($path)));
        self::keep($kept, \serialize($outline));
        return self::$outlines[$id] = $outline;
    }

    /**
     * Marks by the points where they go; those whose expressions are none are left out (the adapter tells of them).
     * @param list<array<string, mixed>> $wanted
     * @param list<array<string, mixed>> $functions
     * @return array<int, list<array<string, mixed>>>
     */
    public static function placed(Outline $outline, array $wanted, array $functions): array
    {
        Start::need('Expression');
        $marks = [];
        foreach ($wanted as $mark) {
            $expressions = [$mark['condition'], ...$mark['values'] ?? []];
            foreach (Expression::troubleOf($mark) === '' ? $outline->pointsFor($mark['line'], $expressions) : [] as $point) {
                $marks[$point][] = $mark;
            }
        }
        foreach ($functions as $mark) {
            foreach (Expression::troubleOf($mark) === '' ? $outline->pointsOfFunction($mark['name']) : [] as $point) {
                $marks[$point][] = $mark;
            }
        }
        return $marks;
    }

    /** Several requests may write the same file at once; each sees none or a whole one. */
    public static function keep(string $file, string $text): void
    {
        $new = $file . '.' . \getmypid();
        if (@\file_put_contents($new, $text) !== \strlen($text) || !@\rename($new, $file)) {
            @\unlink($new);
        }
    }
}
