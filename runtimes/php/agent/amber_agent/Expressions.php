<?php
declare(strict_types=1);

namespace AmberLantern;

/** Passes over the expressions of a source, but for the functions, classes and includes in them. */
abstract class Expressions extends Cursor
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
    protected const COMMA = 1;
    protected const COLON = 2;
    protected const ARROW = 4;
    protected const BRACE = 8;

    /** Parameters, return type and body. */
    abstract protected function functionRest(string $name): void;

    /** From `class`, `interface`, `trait` or `enum` to the end of its body. */
    abstract protected function classDeclaration(string $name): void;

    /** Whether the innermost brackets around what is read here hold the arguments of a call. */
    private bool $areArguments = false;
    /** @var list<string> parameters of the functions around what is read here, as far as it sees them */
    private array $seen = [];

    /** Over a pair of brackets and what is in it. */
    protected function brackets(): void
    {
        $outer = $this->areArguments;
        $this->areArguments = $this->token()->text === '(' && $this->isCalled($this->previous());
        $this->at += 1;
        for (;;) {
            $this->expression(0);
            if ($this->token()->text !== ';') {
                break;
            }
            $this->at += 1;
        }
        $this->at += 1;
        $this->areArguments = $outer;
    }

    /** Whether brackets behind a token call what ends with it. */
    private function isCalled(\PhpToken $token): bool
    {
        $names = [T_STRING, T_VARIABLE, T_NAME_QUALIFIED, T_NAME_FULLY_QUALIFIED, T_NAME_RELATIVE, T_STATIC];
        return in_array($token->id, $names, true) || isset(self::CLOSING[$token->text]);
    }

    /** A function in an expression, and whether it runs apart from the statement that it stands in. */
    private function innerFunction(): void
    {
        $first = count($this->outline->points);
        $around = $this->seen;
        $own = $this->parameters($this->at);
        $this->seen = [...($this->token()->id === T_FN ? $around : []), ...$own];
        $isApart = !$this->areArguments || $this->function < 0;
        $line = $this->token()->line;
        $outer = $this->areArguments;
        $this->areArguments = false;
        if ($this->token()->id === T_FN) {
            $this->arrowFunction();
        } else {
            $this->at += 1;
            if ($this->token()->text === '&') {
                $this->at += 1;
            }
            $this->functionRest('{closure}');
        }
        $this->areArguments = $outer;
        if ($isApart) {
            $this->outline->addApart($first, $line, [$own, $this->seen]);
        }
        $this->seen = $around;
    }

    /** The names of the parameters of the function that begins at a token, and of what it takes from around it. @return list<string> */
    private function parameters(int $from): array
    {
        $names = [];
        $depth = 0;
        for ($at = $from + 1; $at < count($this->tokens); $at += 1) {
            $token = $this->tokens[$at];
            if ($depth === 0 && ($token->text === '{' || $token->id === T_DOUBLE_ARROW)) {
                break;
            }
            $depth += $token->text === '(' ? 1 : ($token->text === ')' ? -1 : 0);
            if ($token->id === T_VARIABLE) {
                $names[] = $token->text;
            }
        }
        return $names;
    }

    /**
     * Over an expression, up to an unmatched closing bracket, the end of the statement, or what $stops names.
     */
    protected function expression(int $stops): void
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
            if ($text === '{' && ($stops & self::BRACE)) {
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
        } elseif ($token->id === T_FUNCTION || $token->id === T_FN) {
            $this->innerFunction();
        } elseif ($token->id === T_MATCH) {
            $this->matchExpression();
        } elseif ($token->id === T_CLASS && $this->previous()->id !== T_DOUBLE_COLON) {
            $outer = $this->areArguments;
            $this->areArguments = false;
            $this->classDeclaration('class@anonymous');
            $this->areArguments = $outer;
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
        $this->arrowBody('{closure}', $isReference, self::COMMA | self::COLON);
    }

    /** What is behind the arrow of a function that has no braces. */
    protected function arrowBody(string $name, bool $isReference, int $stops): void
    {
        if ($isReference) {
            // Brackets around its result would make a copy of it.
            $this->expression($stops);
            return;
        }
        $outer = $this->function;
        $this->function = $this->outline->addFunction($name, $this->token()->line);
        $this->result($stops);
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
     * How the name of a file ends that some tokens give: the last part of the text that they end with, with a slash before it
     * where that is its whole name; or ''.
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
        if (preg_match('~^[\w./ -]+$~', $text) !== 1) {
            return '';
        }
        $end = $tokens === [] ? (string) strrchr("/$text", '/') : (strrchr($text, '/') ?: $text);
        return $end === '/' ? '' : $end;
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
