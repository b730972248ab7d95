<?php
declare(strict_types=1);

namespace AmberLantern;

/** Expressions of marks, which become code of the program: nothing may get out of its brackets. */
final class Expression
{
    private const ASSIGNING = [
        T_PLUS_EQUAL, T_MINUS_EQUAL, T_MUL_EQUAL, T_DIV_EQUAL, T_CONCAT_EQUAL, T_MOD_EQUAL, T_AND_EQUAL, T_OR_EQUAL,
        T_XOR_EQUAL, T_SL_EQUAL, T_SR_EQUAL, T_POW_EQUAL, T_COALESCE_EQUAL, T_INC, T_DEC,
    ];
    private const REFUSED = [
        T_YIELD => 'yields', T_YIELD_FROM => 'yields', T_EXIT => 'ends the program', T_INCLUDE => 'includes a file',
        T_INCLUDE_ONCE => 'includes a file', T_REQUIRE => 'includes a file', T_REQUIRE_ONCE => 'includes a file',
        T_THROW => 'throws',
    ];

    /** Why a mark cannot be spliced; '' where it can. @param array<string, mixed> $mark */
    public static function troubleOf(array $mark): string
    {
        $condition = $mark['condition'] ?? '';
        if ($condition !== '') {
            $trouble = self::trouble($condition) ?: self::assigns($condition);
            if ($trouble !== '') {
                return "the condition $trouble";
            }
        }
        foreach ($mark['values'] ?? [] as $value) {
            $trouble = self::trouble($value);
            if ($trouble !== '') {
                return "{{$value}} $trouble";
            }
        }
        return '';
    }

    private static function trouble(string $text): string
    {
        if (\preg_match('/[\r\n]/', $text) === 1) {
            return 'has more than one line';
        }
        // A comment would take the closing bracket with it.
        foreach (\PhpToken::tokenize("<?php $text") as $token) {
            if (\in_array($token->id, [T_COMMENT, T_DOC_COMMENT, T_CLOSE_TAG, T_INLINE_HTML], true)) {
                return 'has a comment or a closing tag in it';
            }
        }
        try {
            $tokens = \PhpToken::tokenize("<?php ($text);", TOKEN_PARSE);
        } catch (\CompileError $error) {
            return 'is not an expression of PHP: ' . \lcfirst($error->getMessage());
        }
        $depth = 0;
        $last = \count($tokens) - 2;
        foreach ($tokens as $index => $token) {
            if (isset(self::REFUSED[$token->id])) {
                return self::REFUSED[$token->id] . ', which a mark must not';
            }
            if ($token->id === T_ENCAPSED_AND_WHITESPACE) {
                continue;
            }
            $depth += match ($token->text) {
                '(', '[', '{' => 1,
                ')', ']', '}' => -1,
                default => $token->id === T_CURLY_OPEN || $token->id === T_DOLLAR_OPEN_CURLY_BRACES ? 1 : 0,
            };
            if ($depth === 0 && $index > 1 && $index < $last) {
                return 'is not one expression of PHP';
            }
        }
        return '';
    }

    private static function assigns(string $text): string
    {
        foreach (\PhpToken::tokenize("<?php ($text);") as $token) {
            if ($token->text === '=' || \in_array($token->id, self::ASSIGNING, true)) {
                return 'assigns, which it must not (`==` compares)';
            }
        }
        return '';
    }
}
