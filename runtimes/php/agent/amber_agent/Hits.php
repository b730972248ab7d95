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
    /** @var array<int, Limit> by mark */
    private static array $limits = [];

    /** @param list<mixed> $values */
    public static function tell(int $number, array $values): void
    {
        $now = \microtime(true);
        $limit = self::$limits[$number] ??= new Limit(Plan::$marks[$number]);
        if (!$limit->isFree((int) $now)) {
            self::leaveOut($number);
            return;
        }
        $bytes = $limit->bytes;
        $row = [$number, (int) ($now * 1e6)];
        foreach ($values as $index => $value) {
            if ($limit->hides && ($limit->hidden[$index] ?? false)) {
                $row[] = Veil::HIDDEN;
            } elseif (\is_int($value) ? $value < 2 ** 53 && $value > -2 ** 53 : \is_string($value) && \strlen($value) <= $bytes) {
                // That a text is in UTF-8 is seen when all of them are sent (Veil::json).
                $row[] = $value;
            } else {
                $row[] = \is_string($value) ? self::plain($value, $bytes) : [Values::text($value, $bytes), Values::type($value)];
            }
        }
        if (self::$rows === []) {
            self::$since = $now;
        }
        self::$rows[] = $row;
        if ($now - self::$since > self::GATHER || \count(self::$rows) >= self::BATCH) {
            self::flush();
        }
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
        $limit = self::$limits[$number] ??= new Limit(Plan::$marks[$number]);
        if (!$limit->isFree((int) $now)) {
            self::leaveOut($number);
            return false;
        }
        return true;
    }

    private static function leaveOut(int $number): void
    {
        self::$dropped[$number] = (self::$dropped[$number] ?? 0) + 1;
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

require_once __DIR__ . '/Limit.php';
