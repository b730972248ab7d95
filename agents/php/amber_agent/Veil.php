<?php
declare(strict_types=1);

namespace AmberLantern;

/** Values under names that look secret are hidden before they leave the process. */
final class Veil
{
    public const HIDDEN = '•••';
    /** The same in src/core/veil.ts. */
    private const NAMES = 'pass(?:word|wd|phrase)|secret|token|authori[sz]ation|cookie|api_?key|private_?key|credential'
        . '|session_?id|(?<![a-z])card(?![a-z])|card_?n(?:umber|o)|(?<![a-z])(?:cvv|cvc|pin)(?![a-z])';
    /** The last name in an expression: of `$order->cardNumber`, `$d["token"]`, `$password`. */
    private const LAST_NAME = '/([A-Za-z_][A-Za-z0-9_-]*)["\']?\]?\s*$/';
    private static ?string $pattern = null;

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

    /** A text with what it says of secret names hidden: `pin=1234&`, `"token": "x"`. */
    public static function masked(string $text): string
    {
        if (Plan::$current['veil']['off']) {
            return $text;
        }
        $names = \substr(self::pattern(), 1, -2);
        $value = '"[^"]*"|\'[^\']*\'|[^\s,;)}\]>&]+';
        $masked = \preg_replace("~([\w-]*(?:$names)[\w-]*[\"']?\s*(?:=>|[=:])\s*)($value)~i", '$1' . self::HIDDEN, $text);
        return $masked ?? $text;
    }

    private static function pattern(): string
    {
        return self::$pattern ??= '~' . \implode('|', [
            self::NAMES,
            ...\array_map(static fn(string $name): string => \preg_quote($name, '~'), Plan::$current['veil']['names']),
        ]) . '~i';
    }
}
