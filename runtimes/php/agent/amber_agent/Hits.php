<?php
declare(strict_types=1);

namespace AmberLantern;

/** Hits of logpoints on their way to who is attached: made into text at once, sent in batches, bounded. */
final class Hits
{
    private const BATCH = 500;
    /** Seconds that a hit may wait for others to go with it. */
    private const GATHER = 0.02;

    /** @var list<list<mixed>> mark, microseconds since 1970, values */
    private static array $rows = [];
    private static float $since = 0.0;
    /** @var array<int, int> by mark: how many were left out since the last batch */
    private static array $dropped = [];
    /** @var array<int, array{second: int, told: int, all: int}> */
    private static array $told = [];
    /** @var array<int, array{list<bool>, int}> by mark: which of its values are hidden, and their most characters */
    private static array $shapes = [];

    /** @param list<mixed> $values */
    public static function tell(int $number, array $values): void
    {
        $now = \microtime(true);
        if (!self::isAllowed($number, $now)) {
            return;
        }
        [$hidden, $bytes] = self::$shapes[$number] ??= self::shape(Plan::$marks[$number]);
        $row = [$number, (int) ($now * 1e6)];
        foreach ($values as $index => $value) {
            if ($hidden[$index] ?? false) {
                $row[] = Veil::HIDDEN;
            } elseif (\is_int($value) && $value < 2 ** 53 && $value > -2 ** 53) {
                $row[] = $value;
            } elseif (\is_string($value)) {
                $row[] = self::plain($value, $bytes);
            } else {
                $row[] = [Values::text($value, $bytes), Values::type($value)];
            }
        }
        self::add($row, $now);
    }

    public static function tellError(int $number, string $text): void
    {
        $now = \microtime(true);
        if (self::isAllowed($number, $now)) {
            self::add([$number, (int) ($now * 1e6), ['error' => $text]], $now);
        }
    }

    /** Strings are told as they are, so that they read well within a text. */
    public static function plain(string $value, int $bytes): string
    {
        if (\strlen($value) <= $bytes && \preg_match('//u', $value) === 1) {
            return $value;
        }
        $whole = \substr($value, 0, $bytes);
        if (\preg_match('//u', $whole) !== 1) {
            // A character may have been cut in two.
            $whole = (string) \preg_replace('/[\xC0-\xFF][\x80-\xBF]{0,3}$/', '', $whole);
        }
        return \preg_match('//u', $whole) === 1 ? "{$whole}…" : Values::string($value, $bytes);
    }

    /** A hit as it is to be told; the limits have been asked. @param list<mixed> $row */
    public static function add(array $row, float $now): void
    {
        if (self::$rows === []) {
            self::$since = $now;
        }
        self::$rows[] = $row;
        if (\count(self::$rows) >= self::BATCH || $now - self::$since > self::GATHER) {
            self::flush();
        }
    }

    /** Whether the limits of a mark leave room for a hit; one that they do not is counted. */
    public static function isAllowed(int $number, float $now): bool
    {
        $mark = Plan::$marks[$number];
        $told = &self::$told[$number];
        $told ??= ['second' => 0, 'told' => 0, 'all' => 0];
        if ((int) $now !== $told['second']) {
            $told['second'] = (int) $now;
            $told['told'] = 0;
        }
        if ($told['told'] >= $mark['perSecond'] || $told['all'] >= ($mark['inAll'] ?? \PHP_INT_MAX) || Session::isFull()) {
            self::$dropped[$number] = (self::$dropped[$number] ?? 0) + 1;
            return false;
        }
        $told['told'] += 1;
        $told['all'] += 1;
        return true;
    }

    /**
     * @param array<string, mixed> $mark
     * @return array{list<bool>, int}
     */
    private static function shape(array $mark): array
    {
        return [\array_map([Veil::class, 'hidesExpression'], $mark['values']), $mark['bytes']];
    }

    /** What has not been told yet. @return array{list<list<mixed>>, array<int, int>} hits, and by mark those left out */
    public static function waiting(): array
    {
        return [self::$rows, self::$dropped];
    }

    public static function flush(): void
    {
        if (self::$rows === [] && self::$dropped === []) {
            return;
        }
        $lost = self::$dropped;
        foreach (self::$rows as [$mark]) {
            $lost[$mark] = ($lost[$mark] ?? 0) + 1;
        }
        if (Session::open()) {
            $body = ['hits' => self::$rows, 'dropped' => (object) self::$dropped];
            Session::send(Packet::notify('amber_hits', $body), ['dropped' => $lost]);
        } else {
            Session::leave(['dropped' => $lost]);
        }
        self::$rows = [];
        self::$dropped = [];
    }
}
