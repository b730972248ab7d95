<?php
declare(strict_types=1);

namespace AmberLantern;

/** Values as properties of DBGp, and finding them again by their full names. */
final class Property
{
    /** @param array{depth: int, page: int, children: int, data: int, text?: int} $shape */
    public static function xml(string $name, string $fullName, mixed $value, string $facet, array $shape): string
    {
        $attributes = [
            'name' => $name,
            'fullname' => $fullName,
            'type' => self::typeOf($value),
            'amber:text' => Values::text($value, $shape['text'] ?? Values::SHORT),
            'amber:type' => Values::type($value),
        ];
        if ($facet !== '' && $facet !== 'public') {
            $attributes['facet'] = $facet;
        }
        if (\is_object($value)) {
            $attributes['classname'] = Values::className($value);
        }
        if (!\is_array($value) && !\is_object($value)) {
            return self::scalar($value, $attributes, $shape['data']);
        }
        $count = \is_array($value) ? \count($value) : \count(self::members($value));
        $attributes += ['children' => $count > 0 ? '1' : '0', 'numchildren' => (string) $count];
        if (\is_array($value) && Values::isList($value)) {
            $attributes['amber:list'] = '1';
        }
        if ($shape['depth'] < 1 || $count === 0) {
            return Packet::element('property', $attributes, '');
        }
        $attributes += ['page' => (string) $shape['page'], 'pagesize' => (string) $shape['children']];
        $content = '';
        foreach (self::page($value, $shape) as [$childName, $step, $child, $childFacet]) {
            $inner = ['depth' => $shape['depth'] - 1, 'page' => 0] + $shape;
            $content .= Veil::hides($childName) || $fullName === '$_COOKIE'
                ? self::hidden($childName, $fullName . $step)
                : self::xml($childName, $fullName . $step, $child, $childFacet, $inner);
        }
        return Packet::element('property', $attributes, $content);
    }

    /** A property that is not shown. */
    public static function hidden(string $name, string $fullName): string
    {
        return Packet::element('property', [
            'name' => $name,
            'fullname' => $fullName,
            'type' => 'string',
            'amber:text' => Veil::HIDDEN,
            'amber:type' => '',
            'encoding' => 'base64',
        ], \base64_encode(Veil::HIDDEN));
    }

    /** @param array<string, string> $attributes */
    private static function scalar(mixed $value, array $attributes, int $most): string
    {
        if ($value === null) {
            return Packet::element('property', $attributes, '');
        }
        $text = match (true) {
            \is_bool($value) => $value ? '1' : '0',
            \is_resource($value) => Values::text($value),
            default => (string) $value,
        };
        $attributes += ['size' => (string) \strlen($text), 'encoding' => 'base64'];
        $shown = Veil::masked($most > 0 ? \substr($text, 0, $most) : $text);
        return Packet::element('property', $attributes, \base64_encode($shown));
    }

    private static function typeOf(mixed $value): string
    {
        return match (true) {
            \is_array($value) => 'array',
            \is_object($value) => 'object',
            \is_resource($value) => 'resource',
            default => \get_debug_type($value),
        };
    }

    /**
     * What is on one page: name, how the full name goes on, value, facet.
     * @param array{depth: int, page: int, children: int, data: int} $shape
     * @return list<array{string, string, mixed, string}>
     */
    private static function page(mixed $value, array $shape): array
    {
        $from = $shape['page'] * $shape['children'];
        if (\is_object($value)) {
            return \array_slice(self::members($value), $from, $shape['children']);
        }
        $found = [];
        // Keys are kept; numbers stay numbers.
        foreach (\array_slice($value, $from, $shape['children'], true) as $key => $child) {
            $step = \is_int($key) ? "[$key]" : '["' . \addcslashes($key, "\0..\37\177\"\\\$") . '"]';
            $found[] = [(string) $key, $step, $child, ''];
        }
        return $found;
    }

    /** @return list<array{string, string, mixed, string}> */
    private static function members(object $value): array
    {
        $found = [];
        foreach (Values::properties($value) as $index => [$name, $facet, $content]) {
            $isPlain = \preg_match('/^[A-Za-z_\x80-\xFF][\w\x80-\xFF]*$/', $name) === 1 && !\str_starts_with($facet, 'private of');
            $found[] = [$name, $isPlain ? "->$name" : "->{{$index}}", $content, $facet];
        }
        if ($value instanceof \Closure) {
            $about = new \ReflectionFunction($value);
            foreach ($about->getStaticVariables() as $name => $content) {
                $found[] = ["\$$name", '->{' . \count($found) . '}', $content, 'static'];
            }
            if ($about->getClosureThis() !== null) {
                $found[] = ['$this', '->{' . \count($found) . '}', $about->getClosureThis(), ''];
            }
        }
        return $found;
    }

    /**
     * What a full name reaches: name, value, facet, and whether it is hidden.
     * @return array{string, mixed, string, bool}
     */
    public static function find(string $fullName, int $depth, int $context): array
    {
        [$root, $rest] = self::root($fullName);
        if ($root[0] === '@' && \ctype_digit(\substr($root, 1))) {
            $found = [$root, Paused::$results[(int) \substr($root, 1)] ?? null, '', false];
        } else {
            $superglobal = Contexts::SUPERGLOBALS[\substr($root, 1)] ?? false;
            $known = $superglobal ? [$root, $GLOBALS[\substr($root, 1)] ?? []] : null;
            $known ??= Contexts::roots($depth, $context)[$root] ?? throw new \RuntimeException("there is no $root here", 300);
            $found = [$known[0], $known[1], '', !$superglobal && Veil::hides(\ltrim($root, '$@'))];
        }
        while ($rest !== '') {
            if (\preg_match('/^\["((?:[^"\\\\]|\\\\.)*)"\]/s', $rest, $step) === 1) {
                $child = self::item($found[1], \stripcslashes($step[1]));
            } elseif (\preg_match('/^\[(-?\d+)\]/', $rest, $step) === 1) {
                $child = self::item($found[1], (int) $step[1]);
            } elseif (\preg_match('/^->(?:\{(\d+)\}|([\w\x80-\xFF]+))/', $rest, $step) === 1) {
                $child = self::member($found[1], $step[2] ?? '', $step[1]);
            } else {
                throw new \RuntimeException("$fullName is not a name", 300);
            }
            $child[3] = $child[3] || $found[3] || $found[0] === '$_COOKIE';
            $found = $child;
            $rest = \substr($rest, \strlen($step[0]));
        }
        return $found;
    }

    /** @return array{string, string} */
    private static function root(string $fullName): array
    {
        $length = $fullName !== '' && $fullName[0] === '@'
            ? \strcspn($fullName, '[-')
            : \strlen((string) (\preg_match('/^\$[\w\x80-\xFF]+/', $fullName, $found) === 1 ? $found[0] : ''));
        if ($length === 0) {
            throw new \RuntimeException("$fullName is not a name", 300);
        }
        return [\substr($fullName, 0, $length), \substr($fullName, $length)];
    }

    /** @return array{string, mixed, string, bool} */
    private static function item(mixed $value, string|int $key): array
    {
        if (!\is_array($value) || !\array_key_exists($key, $value)) {
            throw new \RuntimeException("there is no item $key", 300);
        }
        return [(string) $key, $value[$key], '', Veil::hides((string) $key)];
    }

    /** @return array{string, mixed, string, bool} */
    private static function member(mixed $value, string $name, string $index): array
    {
        foreach (\is_object($value) ? self::members($value) : [] as $number => [$has, , $content, $facet]) {
            if ($index !== '' ? $number === (int) $index : $has === $name) {
                return [$has, $content, $facet, Veil::hides($has)];
            }
        }
        throw new \RuntimeException("there is no property $name", 300);
    }
}
