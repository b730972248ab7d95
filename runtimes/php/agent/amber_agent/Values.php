<?php
declare(strict_types=1);

namespace AmberLantern;

/** Values as text, bounded whatever the value, without running any of the program's code. */
final class Values
{
    public const SHORT = 160;
    private const ITEMS = 20;
    private const DEPTH = 3;

    public static function text(mixed $value, int $limit = self::SHORT): string
    {
        $text = self::write($value, $limit, self::DEPTH, []);
        return \strlen($text) > $limit + 40 && self::length($text) > $limit + 40 ? self::cut($text, $limit) . '…' : $text;
    }

    // Not by the functions for characters of several bytes, which are not everywhere.
    private static function length(string $text): int
    {
        return \strlen($text) - (int) \preg_match_all('/[\x80-\xBF]/', $text);
    }

    /** The first characters of a text in UTF-8. */
    public static function cut(string $text, int $length): string
    {
        $end = $length;
        while ($end < \strlen($text) && ($missing = $length - self::length(\substr($text, 0, $end))) > 0) {
            $end += $missing;
        }
        // To the end of the last one.
        while ($end < \strlen($text) && (\ord($text[$end]) & 0xC0) === 0x80) {
            $end += 1;
        }
        return \substr($text, 0, $end);
    }

    /** @param array<mixed> $values */
    public static function isList(array $values): bool
    {
        return $values === [] || \array_keys($values) === \range(0, \count($values) - 1);
    }

    /** The type as people write it. */
    public static function type(mixed $value): string
    {
        return match (true) {
            \is_object($value) => self::className($value),
            \is_resource($value) => 'resource (' . \get_resource_type($value) . ')',
            default => \get_debug_type($value),
        };
    }

    /** @param list<object> $seen */
    private static function write(mixed $value, int $limit, int $depth, array $seen): string
    {
        return match (true) {
            \is_string($value) => self::string($value, $limit),
            \is_bool($value) => $value ? 'true' : 'false',
            $value === null => 'null',
            \is_int($value) => (string) $value,
            \is_float($value) => \var_export($value, true),
            \is_array($value) => self::items($value, $limit, $depth, $seen),
            $value instanceof \UnitEnum => \get_class($value) . '::' . $value->name,
            $value instanceof \Closure => self::closure($value),
            \is_object($value) => self::object($value, $limit, $depth, $seen),
            \is_resource($value) => 'resource #' . \get_resource_id($value) . ' (' . \get_resource_type($value) . ')',
            default => \gettype($value),
        };
    }

    public static function string(string $value, int $limit): string
    {
        $length = \strlen($value);
        $part = $length > $limit * 4 ? \substr($value, 0, $limit * 4) : $value;
        if (\preg_match('//u', $part) !== 1 && $part !== $value) {
            // A character may have been cut in two.
            $part = (string) \preg_replace('/[\xC0-\xFF][\x80-\xBF]{0,3}$/', '', $part);
        }
        if (\preg_match('//u', $part) !== 1) {
            return self::bytes($value, $limit);
        }
        $part = self::cut($part, $limit);
        $isLong = \strlen($part) < $length;
        $part = Veil::masked($part);
        $quoted = \preg_match('/[\x00-\x1F\x7F]/', $part) === 1
            ? '"' . \addcslashes($part, "\0..\37\177\"\\\$") . '"'
            : "'" . \str_replace("'", "\\'", $part) . "'";
        return $isLong ? "{$quoted}… $length bytes" : $quoted;
    }

    /** A text that is not UTF-8, with its bytes in hexadecimal where they are no letters. */
    private static function bytes(string $value, int $limit): string
    {
        $part = \addcslashes(\substr($value, 0, $limit), "\0..\37\177\"\\\$");
        $shown = \preg_replace_callback('/[\x80-\xFF]/', static fn(array $byte): string => \sprintf('\x%02X', \ord($byte[0])), $part);
        return "\"$shown\"" . (\strlen($value) > $limit ? '… ' . \strlen($value) . ' bytes' : '');
    }

    /**
     * @param array<mixed> $values
     * @param list<object> $seen
     */
    private static function items(array $values, int $limit, int $depth, array $seen): string
    {
        if ($values === []) {
            return '[]';
        }
        if ($depth === 0) {
            return '[… ' . \count($values) . ']';
        }
        $isList = self::isList($values);
        $parts = [];
        $length = 0;
        foreach ($values as $key => $value) {
            if ($length > $limit || \count($parts) === self::ITEMS) {
                $parts[] = '… ' . (\count($values) - \count($parts)) . ' more';
                break;
            }
            $shown = \is_string($key) && Veil::hides($key)
                ? Veil::HIDDEN
                : self::write($value, $limit - $length, $depth - 1, $seen);
            $part = $isList ? $shown : (\is_int($key) ? $key : self::string($key, 60)) . " => $shown";
            $parts[] = $part;
            $length += \strlen($part) + 2;
        }
        return '[' . \implode(', ', $parts) . ']';
    }

    /** @param list<object> $seen */
    private static function object(object $value, int $limit, int $depth, array $seen): string
    {
        $name = self::className($value);
        if (\in_array($value, $seen, true)) {
            return "$name {the same again}";
        }
        $seen[] = $value;
        if ($value instanceof \DateTimeInterface) {
            return "$name " . \DateTimeImmutable::createFromInterface($value)->format('Y-m-d H:i:s P');
        }
        if ($value instanceof \Throwable) {
            return "$name: " . self::string($value->getMessage(), $limit);
        }
        if ($value instanceof \Generator) {
            return "$name (" . self::generator($value) . ')';
        }
        $properties = self::properties($value);
        if ($properties === []) {
            return "$name {}";
        }
        if ($depth === 0) {
            return "$name {…}";
        }
        $parts = [];
        $length = 0;
        foreach ($properties as [$property, , $content]) {
            if ($length > $limit || \count($parts) === self::ITEMS) {
                $parts[] = '… ' . (\count($properties) - \count($parts)) . ' more';
                break;
            }
            $shown = Veil::hides($property) ? Veil::HIDDEN : self::write($content, $limit - $length, $depth - 1, $seen);
            $parts[] = "$property: $shown";
            $length += \strlen(\end($parts)) + 2;
        }
        return "$name {" . \implode(', ', $parts) . '}';
    }

    public static function className(object $value): string
    {
        // The name of an anonymous class goes on with a zero byte and the place of its declaration.
        return \explode("\0", \get_class($value))[0];
    }

    public static function generator(\Generator $value): string
    {
        try {
            $about = new \ReflectionGenerator($value);
            return $about->getFunction()->getName() . ' at line ' . $about->getExecutingLine();
        } catch (\ReflectionException) {
            return 'finished';
        }
    }

    private static function closure(\Closure $value): string
    {
        $about = new \ReflectionFunction($value);
        $names = \array_map(static fn(\ReflectionParameter $one): string => "\${$one->getName()}", $about->getParameters());
        $name = \str_contains($about->getName(), '{closure') ? 'function' : $about->getName();
        return "$name(" . \implode(', ', $names) . ')'
            . ($about->getFileName() === false || \str_contains($about->getFileName(), "eval()'d code") ? '' : ' ' . \basename($about->getFileName()) . ':' . $about->getStartLine());
    }

    /**
     * What an object holds, whoever may see it: name, whose it is (public, protected, private, and the class where it is not
     * the object's own), value.
     * @return list<array{string, string, mixed}>
     */
    public static function properties(object $value): array
    {
        $properties = [];
        $own = \get_class($value);
        foreach (self::fieldsOf($value) as $key => $content) {
            $key = (string) $key;
            if ($key !== '' && $key[0] === "\0") {
                [, $class, $name] = \explode("\0", $key, 3);
                if (\str_contains($name, "\0")) {
                    $name = \substr((string) \strrchr($name, "\0"), 1);
                }
                $facet = $class === '*' ? 'protected' : ($class === $own ? 'private' : "private of $class");
                $properties[] = [$name, $facet, $content];
            } else {
                $properties[] = [$key, 'public', $content];
            }
        }
        return $properties;
    }

    /** @return array<mixed> */
    private static function fieldsOf(object $value): array
    {
        if ($value instanceof \ArrayObject || $value instanceof \ArrayIterator) {
            // A cast gives what is stored in it, and a method could be the program's.
            return (array) $value;
        }
        if ($value instanceof \SplObjectStorage || $value instanceof \SplDoublyLinkedList || $value instanceof \SplFixedArray) {
            $about = new \ReflectionMethod($value, $value instanceof \SplFixedArray ? 'toArray' : '__debugInfo');
            return $about->isInternal() ? (array) $about->invoke($value) : (array) $value;
        }
        return (array) $value;
    }
}

Start::need('Veil');
