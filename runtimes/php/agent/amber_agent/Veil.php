<?php
declare(strict_types=1);

namespace AmberLantern;

/** Values under names that look secret are hidden before they leave the process. */
final class Veil
{
    public const HIDDEN = VeilRules::HIDDEN;
    /** The last name in an expression: of `$order->cardNumber`, `$d["token"]`, `$password`. */
    private const LAST_NAME = '/([A-Za-z_][A-Za-z0-9_-]*)["\']?\]?\s*$/';
    private const JSON = \JSON_UNESCAPED_UNICODE | \JSON_UNESCAPED_SLASHES;
    private static ?string $pattern = null;
    /** @var list<string> */
    private static array $rules = [];
    private static ?string $stems = null;

    public static function hides(string $name): bool
    {
        return !Plan::$current['veil']['off'] && \preg_match(self::pattern(), $name) === 1;
    }

    /** Whether an expression ends in a name that is hidden. */
    public static function hidesExpression(string $text): bool
    {
        return \preg_match(self::LAST_NAME, $text, $found) === 1 && self::hides($found[1]);
    }

    /** A header line with its value hidden where its name is secret. */
    public static function header(string $line): string
    {
        [$name, $value] = \explode(':', $line, 2) + [1 => null];
        return $value !== null && self::hides($name) ? "$name: " . self::HIDDEN : $line;
    }

    /** Whether there is anything in a text that is to be looked for: in most there is not. */
    public static function mayHide(string $text): bool
    {
        return !Plan::$current['veil']['off'] && \preg_match(self::$stems ??= self::stems(), $text) === 1;
    }

    /** A text with what it says of secret names hidden (contract/veil.json). */
    public static function masked(string $text): string
    {
        if (!self::mayHide($text)) {
            return $text;
        }
        if (self::$rules === []) {
            $names = \substr(self::pattern(), 1, -2);
            self::$rules = \array_map(static fn(array $parts): string => "\x01" . \implode($names, $parts) . "\x01i", VeilRules::TEXTS);
        }
        // In UTF-8, where it is that: a character of several bytes is not to be taken apart.
        $more = \preg_match('//u', $text) === 1 ? 'u' : '';
        $rules = \array_map(static fn(string $rule): string => $rule . $more, self::$rules);
        // What cannot be looked through is not shown either.
        return \preg_replace($rules, '$1' . self::HIDDEN, $text) ?? self::HIDDEN;
    }

    /** The same for every text in what is to be told. @param array<mixed> $data @return array<mixed> */
    public static function maskedAll(array $data): array
    {
        if (!Plan::$current['veil']['off']) {
            \array_walk_recursive($data, static function (mixed &$item): void {
                if (\is_string($item)) {
                    $item = self::masked($item);
                }
            });
        }
        return $data;
    }

    /** JSON of what is to be told, with what it says of secret names hidden. @param array<string, mixed> $content */
    public static function json(array $content): string
    {
        $json = self::encoded($content);
        return self::mayHide($json) ? self::encoded(self::maskedAll($content)) : $json;
    }

    /**
     * JSON of a message. Its texts are looked at one by one only where some are not in UTF-8: those are told as PHP writes them.
     * @param array<mixed> $content
     */
    private static function encoded(array $content): string
    {
        $json = \json_encode($content, self::JSON);
        if ($json !== false) {
            return $json;
        }
        Start::need('Hits', 'Values');
        \array_walk_recursive($content, static function (mixed &$item): void {
            if (\is_string($item)) {
                $item = Hits::plain($item, \strlen($item));
            }
        });
        return (string) \json_encode($content, self::JSON | \JSON_INVALID_UTF8_SUBSTITUTE | \JSON_PARTIAL_OUTPUT_ON_ERROR);
    }

    private static function stems(): string
    {
        $own = \array_map(static fn(string $name): string => \preg_quote($name), Plan::$current['veil']['names']);
        return "\x01" . \implode('|', [VeilRules::STEMS, ...$own]) . "\x01i";
    }

    private static function pattern(): string
    {
        return self::$pattern ??= "\x01" . \implode('|', [
            VeilRules::NAMES,
            ...\array_map(static fn(string $name): string => \preg_quote($name), Plan::$current['veil']['names']),
        ]) . "\x01i";
    }
}

require_once __DIR__ . '/VeilRules.php';
