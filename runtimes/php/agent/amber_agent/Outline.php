<?php
declare(strict_types=1);

namespace AmberLantern;

/** What the rewriter finds in one source. Points are numbered in the order in which they stand. */
final class Outline
{
    private const MOST_MEMBERS = 20;

    /** @var list<string> the source in pieces, one more than there are points */
    public array $pieces = [];
    /** @var list<int> the point after each piece but the last */
    public array $order = [];
    /**
     * Kind (s: before a statement; e: in a condition; a: before a result; f and x: at the ends of a function), line,
     * number of the namespace, number of the function (-1: none).
     * @var list<array{string, int, int, int}>
     */
    public array $points = [];
    /** @var list<array{string, int, int}> name, first line, last line */
    public array $functions = [];
    /**
     * By line: the first points of functions that stand on a statement's line, with their parameters, and all that they see of
     * the parameters of functions around them.
     * @var array<int, array<int, array{list<string>, list<string>}>>
     */
    public array $apart = [];
    /** @var list<array{int, int, list<string>}> first line, last line, and the classes that are caught */
    public array $tries = [];
    /** @var list<string> what stands before code that is to be as in this namespace: its name and imports */
    public array $namespaces = [];
    /** Whether the text has to be changed even where there are no marks. */
    public bool $includes = false;
    /** @var list<string> how the names of what is included end, with a slash before whole names; '' where that cannot be seen */
    public array $endings = [];
    /** Whether it declares functions or classes in any case, so that to include it again would end the program. */
    public bool $declares = false;
    /** Whether statements outside functions leave it, or jump over others. */
    public bool $leaves = false;
    /** Whether handlers are set, in whose place ours stand. */
    public bool $handles = false;
    /** @var array<string, string> in the namespace that is being read: short name in lower case to whole name */
    private array $imports = [];

    public function enterNamespace(string $name): void
    {
        $this->namespaces[] = $name === '' ? '' : "namespace $name;";
        $this->imports = [];
    }

    /** $text: `use A\B as C, D\{E, F}` without its semicolon. */
    public function addImport(string $text): void
    {
        $this->namespaces[count($this->namespaces) - 1] .= " $text;";
        $list = trim(substr($text, 3));
        if (preg_match('/^(function|const)\s/i', $list) === 1) {
            return;
        }
        $prefix = '';
        if (preg_match('/^(\S+)\s*\{(.*)\}$/s', $list, $group) === 1) {
            [, $prefix, $list] = $group;
        }
        foreach (explode(',', $list) as $item) {
            $words = preg_split('/\s+/', trim($item)) ?: [''];
            $whole = ltrim($prefix . $words[0], '\\');
            $short = end($words) === $words[0] ? substr((string) strrchr("\\$whole", '\\'), 1) : end($words);
            $this->imports[strtolower($short)] = $whole;
        }
    }

    /** The whole name of a class as it is written in the namespace that is being read. */
    public function resolveClass(string $name, string $namespace): string
    {
        if (str_starts_with($name, '\\')) {
            return substr($name, 1);
        }
        if (str_starts_with(strtolower($name), 'namespace\\')) {
            return ltrim($namespace . substr($name, 9), '\\');
        }
        [$first, $rest] = explode('\\', $name, 2) + [1 => null];
        $import = $this->imports[strtolower($first)] ?? null;
        if ($import !== null) {
            return $rest === null ? $import : "$import\\$rest";
        }
        return ltrim("$namespace\\$name", '\\');
    }

    public function addPoint(string $kind, int $line, int $function): int
    {
        $this->points[] = [$kind, $line, count($this->namespaces) - 1, $function];
        return count($this->points) - 1;
    }

    public function addFunction(string $name, int $line): int
    {
        $this->functions[] = [$name, $line, $line];
        return count($this->functions) - 1;
    }

    public function endFunction(int $function, int $line): void
    {
        $this->functions[$function][2] = $line;
    }

    /**
     * A function has been read that runs apart from the statement around it.
     * @param int $first the first point that was found in it
     * @param int $line where it begins
     * @param array{list<string>, list<string>} $names its parameters, and all that it sees
     */
    public function addApart(int $first, int $line, array $names): void
    {
        for ($point = $first; $point < count($this->points); $point += 1) {
            [$kind, $on] = $this->points[$point];
            if ($kind !== 'f' && $kind !== 'x') {
                if ($on === $line && $this->pointOn($line) < $point) {
                    $this->apart[$line][$point] = $names;
                }
                return;
            }
        }
    }

    /** The first point of a line that can take a mark; -1 where there is none. */
    public function pointOn(int $line): int
    {
        foreach ($this->points as $number => [$kind, $on]) {
            if ($on === $line && $kind !== 'f' && $kind !== 'x') {
                return $number;
            }
        }
        return -1;
    }

    /**
     * Where a mark on a line goes: to its first point, or to the next line that has one; where the line is inside a
     * statement, to that statement's first line.
     */
    public function pointFor(int $line): int
    {
        $found = $this->pointOn($line);
        if ($found >= 0) {
            return $found;
        }
        $lines = array_unique(array_map(
            static fn(array $point): int => $point[1],
            array_filter($this->points, static fn(array $point): bool => $point[0] !== 'f' && $point[0] !== 'x'),
        ));
        sort($lines);
        foreach ($lines as $next) {
            if ($next > $line) {
                return $this->pointOn($next);
            }
        }
        return -1;
    }

    /**
     * All points that a mark on a line has: that of the statement, and the first of each function that stands on the statement's
     * line and runs apart from it. Where only functions have what the mark's expressions name, none but theirs.
     * @param list<string> $expressions
     * @return list<int>
     */
    public function pointsFor(int $line, array $expressions): array
    {
        $first = $this->pointFor($line);
        $on = $first < 0 ? [] : $this->apart[$this->points[$first][1]] ?? [];
        if ($on === []) {
            return $first < 0 ? [] : [$first];
        }
        preg_match_all('/(?<![\w>:\\\\])\$[a-zA-Z_\x80-\xff][\w\x80-\xff]*/', implode(' ', $expressions), $words);
        $named = array_intersect($words[0], array_merge(...array_column($on, 0)));
        $meant = array_filter($on, static fn(array $names): bool => array_diff($named, $names[1]) === []);
        return $named !== [] && $meant !== [] ? array_keys($meant) : array_values(array_unique([$first, ...array_keys($on)]));
    }

    /** The first point of each function that is so called: `price`, `Slip::total`, `Slip.total`, with or without namespace. @return list<int> */
    public function pointsOfFunction(string $name): array
    {
        $points = [];
        foreach ($this->functions as $number => [$whole]) {
            if (self::isCalled(strtolower($whole), $name)) {
                foreach ($this->points as $point => [$kind, , , $function]) {
                    if ($function === $number && $kind !== 'f' && $kind !== 'x') {
                        $points[] = $point;
                        break;
                    }
                }
            }
        }
        return $points;
    }

    /** Whether a function, by its whole name in lower case, is meant by a name: with or without its class and namespace. */
    public static function isCalled(string $whole, string $name): bool
    {
        $wanted = strtolower(str_replace(['.', '#', '->'], '::', ltrim($name, '\\')));
        $short = (string) preg_replace('/^.*\\\\/', '', $whole);
        return $wanted === $whole || $wanted === $short || $wanted === (string) preg_replace('/^.*::/', '', $short);
    }

    /** Whether every call of a function passes a point once, before all its others. */
    public function opens(int $point): bool
    {
        $function = $this->points[$point][3];
        foreach ($this->points as $number => [$kind, , , $within]) {
            if ($within === $function && $kind !== 'f' && $kind !== 'x') {
                return $number === $point;
            }
        }
        return false;
    }

    /** The function that a point is in, by its name; '' outside of functions. */
    public function functionAt(int $point): string
    {
        return $this->functions[$this->points[$point][3]][0] ?? '';
    }

    /** Properties of its own object that the function of a point names (`$this->total`). @return list<string> */
    public function membersAt(int $point): array
    {
        $function = $this->points[$point][3];
        $isOfIt = fn(?int $number): bool => $number !== null && $this->points[$number][3] === $function;
        $text = '';
        foreach ($this->pieces as $index => $piece) {
            if ($isOfIt($this->order[$index] ?? null) || $isOfIt($this->order[$index - 1] ?? null)) {
                $text .= "$piece\n";
            }
        }
        preg_match_all('/\$this->(\w++)(?!\s*\()/', $text, $found);
        return array_slice(array_values(array_unique($found[1])), 0, self::MOST_MEMBERS);
    }

    /** The first and the last line of the function that a point is in. @return array{int, int}|null */
    public function extentAt(int $point): ?array
    {
        $function = $this->functions[$this->points[$point][3]] ?? null;
        return $function === null ? null : [$function[1], $function[2]];
    }

    /** Lines that can take a mark. @return list<int> */
    public function lines(): array
    {
        $lines = [];
        foreach ($this->points as [$kind, $line]) {
            if ($kind !== 'f' && $kind !== 'x') {
                $lines[$line] = true;
            }
        }
        ksort($lines);
        return array_keys($lines);
    }
}
