<?php
declare(strict_types=1);

namespace AmberLantern;

/** The functions and classes that a source declares, with a point at both ends of each function. */
abstract class Declarations extends Expressions
{
    protected string $namespace = '';
    protected string $class = '';

    /** Statements up to what ends their list. */
    abstract protected function statements(): void;

    /** Over an expression and the semicolon (or closing tag) after it. */
    abstract protected function endStatement(): void;

    /** A function or class that is declared here; false where it is an expression that only begins like one. */
    protected function declaration(): bool
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

    protected function attributes(): void
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
    protected function functionRest(string $name): void
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
        $this->functionBody($name);
    }

    /** The braces of a function, and its statements. */
    private function functionBody(string $name): void
    {
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
    protected function classDeclaration(string $name): void
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

    /** A property with its default, and the hooks of PHP 8.4. */
    private function property(): void
    {
        $name = $this->token()->text;
        $this->expression(self::BRACE);
        if ($this->token()->text === '{') {
            $this->hooks("$this->class::$name");
            return;
        }
        $this->at += 1;
    }

    private function hooks(string $property): void
    {
        $this->at += 1;
        while ($this->token()->text !== '}' && $this->token()->id !== 0) {
            $this->attributes();
            $name = '';
            $isReference = false;
            while (!in_array($this->token()->text, ['{', '}', ';', '=>'], true) && $this->token()->id !== 0) {
                $name = $this->token()->id === T_STRING ? $this->token()->text : $name;
                $isReference = $isReference || $this->token()->text === '&';
                $this->token()->text === '(' ? $this->brackets() : $this->at += 1;
            }
            if ($this->token()->text === '{') {
                $this->functionBody("$property::$name");
            } elseif ($this->token()->text === '=>') {
                $this->at += 1;
                $this->arrowBody("$property::$name", $isReference, 0);
            }
            $this->at += $this->token()->text === ';' ? 1 : 0;
        }
        $this->at += 1;
    }
}
