<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Finds in a PHP source the points at which code of ours may stand: before each statement, in the heads of loops, before the
 * results of `match` and arrow functions, and at both ends of each function. All of them are on the lines where the source
 * has them, so that the text made of it has the same lines.
 *
 * It descends through the statements only. Expressions are passed over token by token, but for the functions, classes and
 * includes in them. The source must be free of syntax errors, which the tokenizer sees to.
 */
final class Rewriter extends Cursor
{
    private const OPENING = ['(' => true, '[' => true, '{' => true, '${' => true];
    private const CLOSING = [')' => true, ']' => true, '}' => true];
    private const INCLUDES = [T_INCLUDE, T_INCLUDE_ONCE, T_REQUIRE, T_REQUIRE_ONCE];
    /** Functions that ours stand for, so that the program's own handlers are called as if ours were not there. */
    private const STANDING_FOR = [
        'set_error_handler' => '\AmberLantern\Errors::set',
        'restore_error_handler' => '\AmberLantern\Errors::restore',
        'set_exception_handler' => '\AmberLantern\Errors::setUncaught',
        'restore_exception_handler' => '\AmberLantern\Errors::restoreUncaught',
    ];
    /** What ends an expression, besides a closing bracket and the end of the statement. */
    private const COMMA = 1;
    private const COLON = 2;
    private const ARROW = 4;

    private string $namespace = '';
    private string $class = '';

    /**
     * @return Outline the pieces of the source, and the points between them
     * @throws \ParseError of the source
     */
    public static function outline(string $source): Outline
    {
        return (new self())->read($source);
    }

    private function read(string $source): Outline
    {
        $text = $this->begin($source);
        $this->outline->enterNamespace('');
        while ($this->token()->id !== 0) {
            $this->statements();
            // A closing bracket here can only be one that the tokenizer let pass; it is left as it stands.
            $this->at += $this->token()->id === 0 ? 0 : 1;
        }
        $this->cut($text);
        return $this->outline;
    }

    /** Statements up to what ends their list: a closing brace, `case`, `else`, `endif` and the like. */
    private function statements(): void
    {
        while (!$this->endsList($this->token())) {
            $before = $this->at;
            $this->statement();
            if ($this->at === $before) {
                $this->at += 1;
            }
        }
    }

    private function endsList(\PhpToken $token): bool
    {
        return match ($token->id) {
            0, T_CASE, T_DEFAULT, T_ELSE, T_ELSEIF, T_ENDIF, T_ENDWHILE, T_ENDFOR, T_ENDFOREACH, T_ENDSWITCH,
            T_ENDDECLARE => true,
            default => $token->text === '}',
        };
    }

    private function statement(): void
    {
        $token = $this->token();
        switch ($token->id) {
            case T_CLOSE_TAG:
                $this->at += 1;
                return;
            case T_OPEN_TAG_WITH_ECHO:
                $this->echoTag($token);
                return;
            case T_IF:
                $this->probe($token);
                $this->ifStatement();
                return;
            case T_WHILE:
                $this->at += 1;
                $this->condition();
                $this->body(T_ENDWHILE);
                return;
            case T_DO:
                $this->at += 1;
                $this->body(0);
                $this->at += 1;
                $this->condition();
                $this->endStatement();
                return;
            case T_FOR:
            case T_FOREACH:
                $this->probe($token);
                $this->at += 1;
                $this->brackets();
                $this->body($token->id === T_FOR ? T_ENDFOR : T_ENDFOREACH);
                return;
            case T_SWITCH:
                $this->probe($token);
                $this->switchStatement();
                return;
            case T_TRY:
                $this->tryStatement();
                return;
            case T_DECLARE:
                $this->at += 1;
                $this->brackets();
                $this->token()->text === ';' || $this->token()->id === T_CLOSE_TAG
                    ? $this->at += 1
                    : $this->body(T_ENDDECLARE);
                return;
            case T_NAMESPACE:
                $this->namespaceStatement();
                return;
            case T_USE:
                $this->useStatement();
                return;
            case T_CONST:
                $this->endStatement();
                return;
            case T_HALT_COMPILER:
                $this->at = count($this->tokens) - 1;
                return;
            default:
                $this->otherStatement($token);
        }
    }

    private function otherStatement(\PhpToken $token): void
    {
        if ($token->text === ';') {
            $this->at += 1;
            return;
        }
        if ($token->text === '{') {
            $this->block();
            return;
        }
        if ($token->id === T_STRING && $this->token(1)->text === ':') {
            $this->at += 2;
            return;
        }
        $start = $this->at;
        $this->attributes();
        if ($this->declaration()) {
            return;
        }
        $this->at = $start;
        $this->probe($token);
        $this->endStatement();
    }

    /** A function or class that is declared here; false where it is an expression that only begins like one. */
    private function declaration(): bool
    {
        $start = $this->at;
        while (in_array($this->token()->id, [T_ABSTRACT, T_FINAL], true) || $this->isWord('T_READONLY')) {
            $this->at += 1;
        }
        $token = $this->token();
        if ($token->id === T_FUNCTION) {
            $name = $this->token($this->token(1)->text === '&' ? 2 : 1);
            if ($name->id === T_STRING) {
                $this->functionDeclaration();
                return true;
            }
        } elseif (in_array($token->id, [T_CLASS, T_INTERFACE, T_TRAIT], true) || $this->isWord('T_ENUM')) {
            $this->classDeclaration($this->token(1)->text);
            return true;
        }
        $this->at = $start;
        return false;
    }

    /** Whether a token is of a kind that PHP 8.0 does not have. */
    private function isWord(string $kind): bool
    {
        return defined($kind) && $this->token()->id === constant($kind);
    }

    private function probe(\PhpToken $token): void
    {
        $this->point('s', $token->pos, $token->line);
    }

    private function echoTag(\PhpToken $token): void
    {
        $this->replace($token, '<?php ');
        $this->point('s', $token->pos + strlen($token->text), $token->line);
        $this->insert($token->pos + strlen($token->text), 'echo ');
        $this->at += 1;
        $this->endStatement();
    }

    /** Over an expression and the semicolon (or closing tag) after it. */
    private function endStatement(): void
    {
        $this->expression(0);
        if ($this->token()->text === ';' || $this->token()->id === T_CLOSE_TAG) {
            $this->at += 1;
        }
    }

    private function block(): void
    {
        $this->at += 1;
        $this->statements();
        $this->at += 1;
    }

    /** Over a pair of brackets and what is in it. */
    private function brackets(): void
    {
        $this->at += 1;
        for (;;) {
            $this->expression(0);
            if ($this->token()->text !== ';') {
                break;
            }
            $this->at += 1;
        }
        $this->at += 1;
    }

    /** A condition that is computed again and again. */
    private function condition(): void
    {
        $token = $this->token(1);
        $this->point('e', $token->pos, $token->line);
        $this->insert($token->pos, '(');
        $this->brackets();
        $this->insert($this->previous()->pos, ')');
    }

    private function ifStatement(): void
    {
        $this->at += 1;
        $this->brackets();
        $hasColon = $this->token()->text === ':';
        $this->branch($hasColon);
        while ($this->token()->id === T_ELSEIF) {
            $this->at += 1;
            $this->condition();
            $this->branch($hasColon);
        }
        if ($this->token()->id === T_ELSE) {
            $this->at += 1;
            $this->branch($hasColon);
        }
        if ($hasColon && $this->token()->id === T_ENDIF) {
            $this->at += 1;
            $this->endStatement();
        }
    }

    private function branch(bool $hasColon): void
    {
        if ($hasColon) {
            $this->at += 1;
            $this->statements();
        } else {
            $this->single();
        }
    }

    /** What a loop repeats: a statement, or a list from a colon to the word that ends it. */
    private function body(int $endWord): void
    {
        if ($endWord !== 0 && $this->token()->text === ':') {
            $this->at += 1;
            $this->statements();
            $this->at += 1;
            $this->endStatement();
        } else {
            $this->single();
        }
    }

    /** One statement, in braces of ours where it has none of its own, since there will be two. */
    private function single(): void
    {
        $token = $this->token();
        if ($token->text === '{') {
            $this->block();
            return;
        }
        if ($token->text === ';' || $token->id === T_CLOSE_TAG) {
            $this->at += 1;
            return;
        }
        $this->insert($token->pos, '{');
        $this->statement();
        if ($this->previous()->id === T_CLOSE_TAG) {
            $this->insert($this->previous()->pos, ';}');
        } else {
            $this->insert($this->endOfPrevious(), '}');
        }
    }

    private function switchStatement(): void
    {
        $this->at += 1;
        $this->brackets();
        $isAlternative = $this->token()->text === ':';
        $this->at += 1;
        while ($this->token()->id !== 0 && $this->token()->text !== '}' && $this->token()->id !== T_ENDSWITCH) {
            $token = $this->token();
            if ($token->id === T_CASE || $token->id === T_DEFAULT) {
                $this->at += 1;
                $this->expression(self::COLON);
                $this->at += 1;
                $this->statements();
            } else {
                $this->at += 1;
            }
        }
        $this->at += 1;
        if ($isAlternative) {
            $this->endStatement();
        }
    }

    private function tryStatement(): void
    {
        $from = $this->token()->line;
        $this->at += 1;
        $this->block();
        $to = $this->previous()->line;
        $types = [];
        while ($this->token()->id === T_CATCH) {
            $this->at += 2;
            while ($this->token()->text !== ')') {
                if ($this->token()->id !== T_VARIABLE && $this->token()->text !== '|') {
                    $types[] = $this->outline->resolveClass($this->token()->text, $this->namespace);
                }
                $this->at += 1;
            }
            $this->at += 1;
            $this->block();
        }
        if ($this->token()->id === T_FINALLY) {
            $this->at += 1;
            $this->block();
        }
        $this->outline->tries[] = [$from, $to, $types];
    }

    private function namespaceStatement(): void
    {
        $this->at += 1;
        $name = '';
        while ($this->token()->text !== ';' && $this->token()->text !== '{' && $this->token()->id !== T_CLOSE_TAG) {
            $name .= $this->token()->text;
            $this->at += 1;
        }
        $this->namespace = $name;
        $this->outline->enterNamespace($name);
        if ($this->token()->text === '{') {
            $this->block();
            $this->namespace = '';
            $this->outline->enterNamespace('');
        } else {
            $this->at += 1;
        }
    }

    private function useStatement(): void
    {
        $text = '';
        while ($this->token()->text !== ';' && $this->token()->id !== T_CLOSE_TAG && $this->token()->id !== 0) {
            $text .= ' ' . $this->token()->text;
            $this->at += 1;
        }
        $this->at += 1;
        $this->outline->addImport(trim($text));
    }

    private function attributes(): void
    {
        while ($this->token()->id === T_ATTRIBUTE) {
            $this->brackets();
        }
    }

    /** From `function` to the end of its body, or the semicolon of one that has none. */
    private function functionDeclaration(): void
    {
        $this->at += 1;
        if ($this->token()->text === '&') {
            $this->at += 1;
        }
        $name = $this->token()->text;
        $this->at += 1;
        $owner = $this->class !== '' ? "$this->class::" : ($this->namespace !== '' ? "$this->namespace\\" : '');
        $this->functionRest($owner . $name);
    }

    /** Parameters, return type and body. */
    private function functionRest(string $name): void
    {
        $this->brackets();
        if ($this->token()->id === T_USE) {
            $this->at += 1;
            $this->brackets();
        }
        while ($this->token()->text !== '{' && $this->token()->text !== ';' && $this->token()->id !== 0) {
            $this->at += 1;
        }
        if ($this->token()->text !== '{') {
            $this->at += 1;
            return;
        }
        $outer = [$this->function, $this->class];
        $this->class = '';
        $open = $this->token();
        $this->function = $this->outline->addFunction($name, $open->line);
        $this->point('f', $open->pos + 1, $open->line);
        $this->at += 1;
        $this->statements();
        $close = $this->token();
        $this->point('x', $close->pos, $close->line);
        $this->outline->endFunction($this->function, $close->line);
        $this->at += 1;
        [$this->function, $this->class] = $outer;
    }

    /** From `class`, `interface`, `trait` or `enum` to the end of its body. */
    private function classDeclaration(string $name): void
    {
        while ($this->token()->text !== '{' && $this->token()->id !== 0) {
            $this->token()->text === '(' ? $this->brackets() : $this->at += 1;
        }
        $outer = [$this->class, $this->function];
        $this->class = $this->namespace === '' || $name === 'class@anonymous' ? $name : "$this->namespace\\$name";
        $this->function = -1;
        $this->at += 1;
        while ($this->token()->text !== '}' && $this->token()->id !== 0) {
            $this->member();
        }
        $this->at += 1;
        [$this->class, $this->function] = $outer;
    }

    private function member(): void
    {
        $this->attributes();
        $token = $this->token();
        if ($token->id === T_FUNCTION) {
            $this->functionDeclaration();
        } elseif ($token->id === T_USE) {
            // Traits, perhaps with rules in braces; both end the member.
            while (!in_array($this->token()->text, [';', '{'], true)) {
                $this->at += 1;
            }
            $this->token()->text === '{' ? $this->brackets() : $this->at += 1;
        } elseif ($token->id === T_CONST || $token->id === T_CASE) {
            $this->endStatement();
        } elseif ($token->id === T_VARIABLE) {
            $this->property();
        } else {
            $this->at += 1;
        }
    }

    /** A property with its default; what the hooks of PHP 8.4 do is passed over. */
    private function property(): void
    {
        $this->at += 1;
        if ($this->token()->text === '{') {
            $this->brackets();
            return;
        }
        $this->endStatement();
    }

    /**
     * Over an expression, up to an unmatched closing bracket, the end of the statement, or what $stops names.
     */
    private function expression(int $stops): void
    {
        $questions = 0;
        for (;;) {
            $token = $this->token();
            $text = $token->text;
            if ($token->id === 0 || $token->id === T_CLOSE_TAG || $text === ';' || isset(self::CLOSING[$text])) {
                return;
            }
            if ($text === ',' && ($stops & self::COMMA) || $token->id === T_DOUBLE_ARROW && ($stops & self::ARROW)) {
                return;
            }
            if ($text === '?') {
                $questions += 1;
            } elseif ($text === ':') {
                if ($questions === 0 && ($stops & self::COLON)) {
                    return;
                }
                $questions -= 1;
            }
            $this->part($token);
        }
    }

    private function part(\PhpToken $token): void
    {
        if (isset(self::OPENING[$token->text]) || $token->id === T_CURLY_OPEN || $token->id === T_ATTRIBUTE) {
            $this->brackets();
        } elseif ($token->id === T_FUNCTION) {
            $this->at += 1;
            if ($this->token()->text === '&') {
                $this->at += 1;
            }
            $this->functionRest('{closure}');
        } elseif ($token->id === T_FN) {
            $this->arrowFunction();
        } elseif ($token->id === T_MATCH) {
            $this->matchExpression();
        } elseif ($token->id === T_CLASS && $this->previous()->id !== T_DOUBLE_COLON) {
            $this->classDeclaration('class@anonymous');
        } elseif (in_array($token->id, self::INCLUDES, true)) {
            $this->includeExpression();
        } else {
            $this->name($token);
            $this->at += 1;
        }
    }

    /** The result of an arrow function or of a `match`, in brackets of ours and with a point before it. */
    private function result(int $stops): void
    {
        $token = $this->token();
        $this->point('a', $token->pos, $token->line);
        $this->insert($token->pos, '(');
        $this->expression($stops);
        $this->insert($this->endOfPrevious(), ')');
    }

    private function arrowFunction(): void
    {
        $this->at += 1;
        $isReference = $this->token()->text === '&';
        $this->at += $isReference ? 1 : 0;
        $this->brackets();
        while ($this->token()->id !== T_DOUBLE_ARROW) {
            $this->at += 1;
        }
        $this->at += 1;
        if ($isReference) {
            // Brackets around its result would make a copy of it.
            $this->expression(self::COMMA | self::COLON);
            return;
        }
        $outer = $this->function;
        $this->function = $this->outline->addFunction('{closure}', $this->token()->line);
        $this->result(self::COMMA | self::COLON);
        $this->outline->endFunction($this->function, $this->previous()->line);
        $this->function = $outer;
    }

    private function matchExpression(): void
    {
        $this->at += 1;
        $this->brackets();
        $this->at += 1;
        while ($this->token()->text !== '}' && $this->token()->id !== 0) {
            $this->expression(self::ARROW);
            $this->at += 1;
            $this->result(self::COMMA);
            if ($this->token()->text === ',') {
                $this->at += 1;
            }
        }
        $this->at += 1;
    }

    /** An include has our wrapper look at the one file that it opens. */
    private function includeExpression(): void
    {
        $this->outline->includes = true;
        $this->insert($this->token()->pos, '\AmberLantern\Files::after(');
        $this->at += 1;
        // A blank: `require(…)` would become one name with ours.
        $this->insert($this->token()->pos, ' \AmberLantern\Files::before(');
        $from = $this->at;
        $this->expression(self::COMMA | self::COLON | self::ARROW);
        $this->insert($this->endOfPrevious(), '))');
        $this->outline->endings[] = $this->ending(array_slice($this->tokens, $from, $this->at - $from));
    }

    /**
     * How the name of a file ends that some tokens give: the last part of the text that they end with, or ''.
     * @param list<\PhpToken> $tokens
     */
    private function ending(array $tokens): string
    {
        while (count($tokens) > 2 && $tokens[0]->text === '(' && end($tokens)->text === ')') {
            $tokens = array_slice($tokens, 1, -1);
        }
        $last = array_pop($tokens);
        $isJoined = $tokens === [] || end($tokens)->text === '.';
        foreach ($tokens as $token) {
            // What chooses between texts, or binds them in another way than from left to right.
            $isJoined = $isJoined && !in_array($token->text, ['?', '??', '=', '(', ')', '[', 'and', 'or', 'xor', '&&', '||', '??='], true);
        }
        if ($last === null || $last->id !== T_CONSTANT_ENCAPSED_STRING || !$isJoined) {
            return '';
        }
        $text = substr($last->text, 1, -1);
        return preg_match('~^[\w./ -]+$~', $text) === 1 ? substr((string) strrchr("/$text", '/'), 1) : '';
    }

    private function name(\PhpToken $token): void
    {
        if ($token->id !== T_STRING && $token->id !== T_NAME_FULLY_QUALIFIED) {
            return;
        }
        $name = strtolower(ltrim($token->text, '\\'));
        if ($name === '__compiler_halt_offset__') {
            $this->replace($token, (string) $this->haltOffset());
            return;
        }
        $ours = self::STANDING_FOR[$name] ?? null;
        $before = [T_OBJECT_OPERATOR, T_NULLSAFE_OBJECT_OPERATOR, T_DOUBLE_COLON, T_NEW];
        if ($ours !== null && $this->token(1)->text === '(' && !in_array($this->previous()->id, $before, true)) {
            $this->replace($token, $ours);
            $this->outline->includes = $this->outline->handles = true;
        }
    }

    /** Where the data after `__halt_compiler();` begins in the file as it is on disk. */
    private function haltOffset(): int
    {
        foreach ($this->tokens as $index => $token) {
            if ($token->id === T_HALT_COMPILER) {
                $end = $this->tokens[min($index + 3, count($this->tokens) - 1)];
                return $end->pos + strlen($end->text);
            }
        }
        return 0;
    }
}
