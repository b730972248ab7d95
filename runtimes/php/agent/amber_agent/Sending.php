<?php
declare(strict_types=1);

namespace AmberLantern;

/** `$sent` in the expressions of marks and stops: a request that the program sends. */
final class Sending
{
    public string $method;
    public string $url;
    /** @var array<string, string> by their names in lower case */
    public array $headers = [];
    public mixed $body;
    /** Of the answer, once it is there. */
    public ?int $status = null;

    /** @param array<mixed> $lines headers as they are sent, `Name: value` */
    public function __construct(string $method, string $url, array $lines, mixed $body)
    {
        $this->method = \strtoupper($method);
        $this->url = self::whole($url);
        foreach ($lines as $line) {
            [$name, $value] = \explode(':', (string) $line, 2) + [1 => ''];
            if (\trim($name) !== '') {
                $this->headers[\strtolower(\trim($name))] = \trim($value);
            }
        }
        $this->body = self::read($body, $this->headers['content-type'] ?? '');
    }

    /** The same as it is told: values under secret names are hidden. */
    public function veiled(): self
    {
        $veiled = clone $this;
        foreach (['headers', 'body'] as $part) {
            if (\is_array($this->$part)) {
                $veiled->$part = [];
                foreach ($this->$part as $name => $value) {
                    $veiled->$part[$name] = Veil::hides((string) $name) ? Veil::HIDDEN : $value;
                }
            }
        }
        return $veiled;
    }

    /** @return array<string, mixed> those that are there */
    public function parts(): array
    {
        return \array_filter(\get_object_vars($this), static fn(mixed $part): bool => $part !== null && $part !== []);
    }

    /** An address always has a path. */
    private static function whole(string $url): string
    {
        return \preg_match('~^[a-z]+://[^/?]+$~i', $url) === 1 ? "$url/" : $url;
    }

    /** A body that is given as a text, JSON as what it says. */
    private static function read(mixed $body, string $type): mixed
    {
        if (!\is_string($body)) {
            return \is_array($body) ? $body : null;
        }
        $value = \preg_match('~[/+]json\b~', $type) === 1 ? \json_decode($body, true) : null;
        return $value ?? ($body === '' ? null : $body);
    }
}
