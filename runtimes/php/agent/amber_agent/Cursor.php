<?php
declare(strict_types=1);

namespace AmberLantern;

/** A place among the tokens of a source, and what is to be inserted into its text. */
abstract class Cursor
{
    /** Texts inside strings and outside PHP are passed over too: they may look like code. */
    private const PASSED_OVER = [
        T_WHITESPACE, T_COMMENT, T_DOC_COMMENT, T_OPEN_TAG, T_INLINE_HTML, T_ENCAPSED_AND_WHITESPACE,
    ];

    /** @var list<\PhpToken> */
    protected array $tokens = [];
    protected int $at = 0;
    /** @var list<array{int, int, string|int}> offset, how much is replaced, and a text or the number of a point */
    private array $insertions = [];
    protected Outline $outline;
    protected int $function = -1;

    /**
     * Reads the tokens of a source; gives the text that they are of.
     * @throws \ParseError of the source
     */
    protected function begin(string $source): string
    {
        $this->outline = new Outline();
        $text = $this->withoutShebang($source);
        foreach (\PhpToken::tokenize($text, TOKEN_PARSE) as $token) {
            if (!in_array($token->id, self::PASSED_OVER, true)) {
                $this->tokens[] = $token;
            }
        }
        $end = new \PhpToken(T_INLINE_HTML, '', substr_count($text, "\n") + 1, strlen($text));
        $end->id = 0;
        $this->tokens[] = $end;
        return $text;
    }

    /** A first line for the shell is not shown where a script is started, but would be where it is included. */
    private function withoutShebang(string $source): string
    {
        if (!str_starts_with($source, '#!')) {
            return $source;
        }
        $length = strcspn($source, "\n") + 1;
        $rest = substr($source, $length);
        // The line's end moves behind the tag, since some statements have to be the very first.
        return preg_match('/^<\?php\s/i', $rest) === 1 ? "<?php\n" . substr($rest, 5) : "<?php\n?>" . $rest;
    }

    /** Cuts the text at the points; everything else that is inserted becomes part of the pieces. */
    protected function cut(string $text): void
    {
        usort($this->insertions, static fn(array $one, array $other): int => $one[0] <=> $other[0]);
        $piece = '';
        $from = 0;
        foreach ($this->insertions as [$offset, $length, $what]) {
            $piece .= substr($text, $from, $offset - $from);
            $from = $offset + $length;
            if (is_string($what)) {
                $piece .= $what;
            } else {
                $this->outline->pieces[] = $piece;
                $this->outline->order[] = $what;
                $piece = '';
            }
        }
        $this->outline->pieces[] = $piece . substr($text, $from);
    }

    protected function token(int $ahead = 0): \PhpToken
    {
        return $this->tokens[min($this->at + $ahead, count($this->tokens) - 1)];
    }

    protected function previous(): \PhpToken
    {
        return $this->tokens[max($this->at - 1, 0)];
    }

    protected function endOfPrevious(): int
    {
        $token = $this->previous();
        return $token->pos + strlen($token->text);
    }

    protected function insert(int $offset, string $text): void
    {
        $this->insertions[] = [$offset, 0, $text];
    }

    protected function point(string $kind, int $offset, int $line): void
    {
        $this->insertions[] = [$offset, 0, $this->outline->addPoint($kind, $line, $this->function)];
    }

    /** Puts a text in the place of a token. */
    protected function replace(\PhpToken $token, string $text): void
    {
        $this->insertions[] = [$token->pos, strlen($token->text), $text];
    }
}
