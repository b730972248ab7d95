<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Finds in a PHP source the points at which code of ours may stand: before each statement, in the heads of loops, before the
 * results of `match` and arrow functions, and at both ends of each function. All of them are on the lines where the source
 * has them, so that the text made of it has the same lines.
 *
 * It descends through the statements; `Declarations` are the functions and classes among them, and `Expressions` are passed
 * over token by token, but for what is in them of the same. The source must be free of syntax errors, which the tokenizer sees to.
 */
final class Rewriter extends Declarations
{
    /** How many statements are open: 1 in one that stands in none. */
    private int $nested = 0;

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
    protected function statements(): void
    {
        while (!$this->endsList($this->token())) {
            $before = $this->at;
            $this->nested += 1;
            $this->statement();
            $this->nested -= 1;
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
            $this->outline->declares = $this->outline->declares || $this->nested === 1;
            return;
        }
        $this->at = $start;
        if ($this->function < 0 && in_array($token->id, [T_RETURN, T_GOTO], true)) {
            $this->outline->leaves = true;
        }
        $this->probe($token);
        $this->endStatement();
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
    protected function endStatement(): void
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
        $this->nested += 1;
        $this->statement();
        $this->nested -= 1;
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
            $this->nested = 0;
            $this->block();
            $this->nested = 1;
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
}
