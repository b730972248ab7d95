<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Finds the calls by which a text sends requests, and puts ours around them and their arguments, on the same lines: each
 * argument is computed where and when it was, and is passed on as it is. Calls with named or unpacked arguments are left alone.
 */
final class SendSites
{
    /** Functions that send; and those that say what is sent. */
    private const SENDS = ['curl_exec' => true, 'curl_multi_add_handle' => true, 'file_get_contents' => true, 'fopen' => true, 'file' => true, 'readfile' => true, 'get_headers' => true];
    private const SAYS = ['curl_init' => true, 'curl_setopt' => true, 'curl_setopt_array' => true];
    /** What no function stands behind. */
    private const NO_FUNCTION = [T_OBJECT_OPERATOR, T_NULLSAFE_OBJECT_OPERATOR, T_DOUBLE_COLON, T_FUNCTION, T_NEW];
    private const OUR = '\AmberLantern\Sends::';

    /** @param string $id by which the code names the file */
    public static function written(string $text, Outline $outline, string $id): string
    {
        $names = \implode('|', \array_keys(self::SENDS + self::SAYS));
        if (\preg_match("/\\b(?:$names)\\s*\\(/i", $text) !== 1) {
            return $text;
        }
        $tokens = \PhpToken::tokenize($text);
        $before = $after = [];
        foreach ($tokens as $at => $token) {
            $name = self::nameAt($tokens, $at);
            $arguments = $name === '' ? null : self::argumentsOf($tokens, self::next($tokens, $at));
            if ($arguments === null) {
                continue;
            }
            [$list, $end] = $arguments;
            $of = \count($list);
            $place = isset(self::SENDS[$name]) ? self::place($outline, $id, $token->line) : '';
            foreach ($list as $index => [$first, $last]) {
                $isLast = $place !== '' && $index === $of - 1;
                // What is further out comes first in front, and last behind.
                $before[$first] = ($before[$first] ?? '') . ($isLast ? self::OUR . 'first(' : '') . self::OUR . "take('$name',$index,$of,";
                $after[$last] = ')' . ($isLast ? ',eval(' . self::OUR . "due($place)))" : '') . ($after[$last] ?? '');
            }
            if ($place !== '' && $name !== 'curl_multi_add_handle') {
                $before[$at] = ($before[$at] ?? '') . self::OUR . 'first(';
                $after[$end] = ',eval(' . self::OUR . "answered($place)))" . ($after[$end] ?? '');
            } elseif ($name === 'curl_init') {
                $before[$at] = ($before[$at] ?? '') . self::OUR . 'made(';
                $after[$end] = ')' . ($after[$end] ?? '');
            }
        }
        $written = '';
        foreach ($tokens as $at => $token) {
            $written .= ($before[$at] ?? '') . $token->text . ($after[$at] ?? '');
        }
        return $written;
    }

    /** The name of a function of ours to watch that is called at a token; '' where none is. @param list<\PhpToken> $tokens */
    private static function nameAt(array $tokens, int $at): string
    {
        $token = $tokens[$at];
        if ($token->id !== T_STRING && $token->id !== T_NAME_FULLY_QUALIFIED) {
            return '';
        }
        $name = \strtolower(\ltrim($token->text, '\\'));
        if (!isset(self::SENDS[$name]) && !isset(self::SAYS[$name]) || $tokens[self::next($tokens, $at)]->text !== '(') {
            return '';
        }
        $previous = $at - 1;
        while ($previous > 0 && $tokens[$previous]->isIgnorable()) {
            $previous -= 1;
        }
        return \in_array($tokens[$previous]->id, self::NO_FUNCTION, true) ? '' : $name;
    }

    /** @param list<\PhpToken> $tokens */
    private static function next(array $tokens, int $at): int
    {
        $last = \count($tokens) - 1;
        do {
            $at += 1;
        } while ($at < $last && $tokens[$at]->isIgnorable());
        return \min($at, $last);
    }

    /**
     * The first and last token of each argument, and the bracket that closes them; null where they are not plain ones.
     * @param list<\PhpToken> $tokens
     * @return array{list<array{int, int}>, int}|null
     */
    private static function argumentsOf(array $tokens, int $open): ?array
    {
        $list = [];
        $depth = 1;
        $first = $last = null;
        for ($at = $open + 1, $count = \count($tokens); $at < $count; $at += 1) {
            $token = $tokens[$at];
            if ($token->isIgnorable()) {
                continue;
            }
            $isText = $token->id === T_ENCAPSED_AND_WHITESPACE;
            if (!$isText && \in_array($token->text, [')', ']', '}'], true)) {
                $depth -= 1;
            }
            if ($depth === 0 || $depth === 1 && $token->text === ',' && !$isText) {
                if ($first !== null) {
                    $list[] = [$first, $last];
                }
                if ($depth === 0) {
                    return [$list, $at];
                }
                $first = null;
                continue;
            }
            if ($first === null) {
                $follows = $tokens[self::next($tokens, $at)];
                if ($token->id === T_ELLIPSIS || $token->id === T_STRING && $follows->text === ':') {
                    return null;
                }
                $first = $at;
            }
            $last = $at;
            if (!$isText && (\in_array($token->text, ['(', '[', '{'], true) || $token->id === T_CURLY_OPEN || $token->id === T_DOLLAR_OPEN_CURLY_BRACES || $token->id === T_ATTRIBUTE)) {
                $depth += 1;
            }
        }
        return null;
    }

    /** The point at which a call on a line is told to be, as arguments of ours; '' where there is none. */
    private static function place(Outline $outline, string $id, int $line): string
    {
        $found = -1;
        foreach ($outline->order as $point) {
            [$kind, $on] = $outline->points[$point];
            if ($on <= $line && $kind !== 'f' && $kind !== 'x') {
                $found = $point;
            }
        }
        return $found < 0 ? '' : "'$id',$found,$line";
    }
}
