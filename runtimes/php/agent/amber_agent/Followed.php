<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Lines that are followed: at each, which variables of the function have changed since its line before. A call is told from
 * another by how deep it stands, and from the one before it in the same place by passing the function's first point.
 *
 * Of a value in which nothing can change unseen a copy is kept, which costs nothing until the program writes into it; where
 * it is still the same no text is made.
 */
final class Followed
{
    /** Characters of a value that are compared and told. */
    private const WIDTH = 200;
    /** Bytes of a text, and members of an array, of which a copy is kept: the program pays for writing into what is shared. */
    private const LONGEST = 1_000;
    private const MOST = 100;
    private const DEPTH = 4;
    /** Variables that are not the function's own. */
    private const GLOBALS = ['GLOBALS', '_GET', '_POST', '_COOKIE', '_FILES', '_SERVER', '_ENV', '_REQUEST', '_SESSION', 'argv', 'argc'];

    /** What a variable is by its name. */
    private const OWN = 0;
    private const SECRET = 1;
    private const NOT_OWN = 2;

    /** @var array<int, int> by depth: the number of the call */
    private static array $calls = [];
    /** @var array<int, array<string, array{string, string, bool, mixed}>> by depth and name: text, type, and a copy if there is one */
    private static array $prints = [];
    private static int $next = 0;
    /** @var array<string, int> by name: what it is */
    private static array $names = [];
    /** @var array<string, array{bool, string, list<string>}> by file and point: whether a call begins there, its function, and what that names of its object */
    private static array $points = [];

    /** @param array<string, mixed> $variables */
    public static function pass(int $number, array $variables, string $id, int $point, ?object $own): void
    {
        $now = \microtime(true);
        if (!Hits::isAllowed($number, $now)) {
            return;
        }
        [$opens, $function, $members] = self::$points["$id $point"] ??= self::about($id, $point);
        $depth = \count(\debug_backtrace(\DEBUG_BACKTRACE_IGNORE_ARGS));
        foreach (\array_keys(self::$calls) as $other) {
            // What was called from here has ended.
            if ($other > $depth || ($opens && $other === $depth)) {
                unset(self::$calls[$other], self::$prints[$other]);
            }
        }
        self::$calls[$depth] ??= ++self::$next;
        self::$prints[$depth] ??= [];
        if ($own !== null && $members !== [] && ($held = self::held($own, $members)) !== []) {
            $variables['this'] = $held;
        }
        $changed = self::changed($variables, self::$prints[$depth]);
        $row = ['frame' => self::$calls[$depth], 'name' => $function, 'changed' => (object) $changed];
        Hits::add([$number, (int) ($now * 1e6), $row], $now);
    }

    /** @return array{bool, string, list<string>} */
    private static function about(string $id, int $point): array
    {
        $outline = Files::outlineOf($id);
        return [$outline->opens($point), $outline->functionAt($point), $outline->membersAt($point)];
    }

    /** What an object holds of these properties, without running anything of the program. @param list<string> $members @return array<string, mixed> */
    private static function held(object $own, array $members): array
    {
        $held = [];
        foreach (\get_mangled_object_vars($own) as $name => $value) {
            // Those that are not public have their class before them.
            $plain = \strrchr("\0$name", "\0");
            $short = \substr((string) $plain, 1);
            if (\in_array($short, $members, true)) {
                $held[$short] = $value;
            }
        }
        return $held;
    }

    /**
     * @param array<string, mixed> $variables
     * @param array<string, array{string, string, bool, mixed}> $prints which become those of now
     * @return array<string, array{string, string}>
     */
    private static function changed(array $variables, array &$prints): array
    {
        $changed = [];
        foreach ($variables as $name => $value) {
            $print = $prints[$name] ?? null;
            if ($print !== null && $print[2] && $print[3] === $value) {
                continue;
            }
            $kind = self::$names[$name] ??= self::kindOf((string) $name);
            if ($kind === self::NOT_OWN) {
                continue;
            }
            $text = match (true) {
                $kind === self::SECRET => Veil::HIDDEN,
                \is_int($value) => (string) $value,
                \is_string($value) => Hits::plain($value, self::WIDTH),
                default => Values::text($value, self::WIDTH),
            };
            $type = Values::type($value);
            if ($print === null || $print[0] !== $text || $print[1] !== $type) {
                $changed["$$name"] = [$text, $type];
            }
            $isKept = self::isKept($value, self::DEPTH);
            $prints[$name] = [$text, $type, $isKept, $isKept ? $value : null];
        }
        if (\count($prints) > \count($variables)) {
            $prints = \array_intersect_key($prints, $variables);
        }
        return $changed;
    }

    private static function kindOf(string $name): int
    {
        if (\in_array($name, self::GLOBALS, true) || \str_starts_with($name, 'amber_lantern')) {
            return self::NOT_OWN;
        }
        return Veil::hides($name) ? self::SECRET : self::OWN;
    }

    /** Whether nothing of a value can change but by writing into this very variable. */
    private static function isKept(mixed $value, int $depth): bool
    {
        if (!\is_array($value)) {
            return \is_string($value) ? \strlen($value) <= self::LONGEST : \is_scalar($value) || $value === null;
        }
        if ($depth === 0 || \count($value) > self::MOST) {
            return false;
        }
        foreach ($value as $key => $item) {
            if (!self::isKept($item, $depth - 1) || \ReflectionReference::fromArrayElement($value, $key) !== null) {
                return false;
            }
        }
        return true;
    }
}
