<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * `$request` (and `$sent`, see Sending) in the expressions of marks and stops: what the request that is served carries, where the program itself has no
 * variable of that name. Each part is read when it is asked for, and kept.
 *
 * @property-read string $method
 * @property-read string $path
 * @property-read array<string, mixed> $query
 * @property-read array<string, mixed> $form
 * @property-read array<string, mixed> $cookies
 * @property-read array<string, string> $headers
 * @property-read array<string, mixed> $files
 * @property-read array<string, mixed>|null $session
 * @property-read mixed $body JSON as what it says, else the text
 */
final class Asking
{
    public const NAME = '$request';
    /** What is given for each name of ours. */
    private const GIVEN = [self::NAME => 'request', '$sent' => 'sent'];
    /** Where a name must stay a variable. */
    private const BY_NAME = [T_ISSET, T_EMPTY, T_UNSET, T_FN, T_FUNCTION];
    private const PARTS = ['method', 'path', 'query', 'headers', 'cookies', 'form', 'files', 'session', 'body'];

    /** @var array<int, self> */
    private static array $made = [];
    /** @var array<string, mixed> */
    private array $kept = [];

    /** @param bool $isShown whether what it gives is told, so that what has a secret name is hidden in it */
    private function __construct(private bool $isShown)
    {
    }

    /** An expression as it is computed: with the request in the place of a variable that is not set. */
    public static function written(string $text, bool $isShown): string
    {
        if (!\str_contains($text, self::NAME) && !\str_contains($text, '$sent')) {
            return $text;
        }
        $code = '';
        $quoted = false;
        foreach (\PhpToken::tokenize("<?php $text") as $token) {
            if (\in_array($token->id, self::BY_NAME, true)) {
                return $text;
            }
            $quoted = $quoted !== ($token->text === '"');
            $given = !$quoted && $token->id === T_VARIABLE ? self::GIVEN[$token->text] ?? '' : '';
            $code .= $given === '' ? $token->text : "($token->text??\\AmberLantern\\Probe::$given(" . ($isShown ? 'true' : 'false') . '))';
        }
        return \substr($code, 6);
    }

    /** The request that is served. @throws \LogicException where none is */
    public static function request(bool $isShown): self
    {
        if (Request::current() === null) {
            throw new \LogicException('no request is served here');
        }
        return self::$made[(int) $isShown] ??= new self($isShown);
    }

    public function __get(string $name): mixed
    {
        if (!\in_array($name, self::PARTS, true)) {
            throw new \LogicException('$request has ' . \implode(', ', self::PARTS) . "; not $name");
        }
        if ($name === 'session') {
            // The program may change it at any moment.
            return $this->veiled($name, \session_status() === \PHP_SESSION_ACTIVE ? $_SESSION : null);
        }
        return $this->kept[$name] ??= $this->veiled($name, match ($name) {
            'method' => $_SERVER['REQUEST_METHOD'],
            'path' => \explode('?', $_SERVER['REQUEST_URI'], 2)[0],
            'query' => $_GET,
            'headers' => Request::headers(),
            'cookies' => $_COOKIE,
            'form' => $_POST,
            'files' => $_FILES,
            'body' => Request::body(),
        });
    }

    public function __isset(string $name): bool
    {
        return \in_array($name, self::PARTS, true);
    }

    private function veiled(string $part, mixed $value): mixed
    {
        if (!$this->isShown || !\is_array($value)) {
            return $value;
        }
        $isSecret = Veil::hides($part);
        foreach ($value as $name => $item) {
            $value[$name] = $isSecret || Veil::hides((string) $name) ? Veil::HIDDEN : $item;
        }
        return $value;
    }
}
