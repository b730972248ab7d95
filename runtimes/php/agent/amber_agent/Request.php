<?php
declare(strict_types=1);

namespace AmberLantern;

/** The HTTP request that is served, and what of the answer is there. */
final class Request
{
    /** @return array{method: string, target: string, traceparent: string}|null null for a program that serves none */
    public static function current(): ?array
    {
        if (!isset($_SERVER['REQUEST_METHOD'], $_SERVER['REQUEST_URI'])) {
            return null;
        }
        return [
            'method' => (string) $_SERVER['REQUEST_METHOD'],
            'target' => (string) $_SERVER['REQUEST_URI'],
            'traceparent' => (string) ($_SERVER['HTTP_TRACEPARENT'] ?? ''),
        ];
    }

    /**
     * Whether a request is of those that are meant: `*` stands for any method or any part of the path; the query counts
     * where the path has a `?`; a header must have just this value.
     * @param array{method?: string, path?: string, header?: array{name: string, value: string}} $wanted
     * @param array{method: string, target: string, traceparent: string} $request
     */
    public static function matches(array $wanted, array $request): bool
    {
        $method = \strtoupper((string) ($wanted['method'] ?? '')) ?: '*';
        $path = (string) ($wanted['path'] ?? '') ?: '*';
        if ($method !== '*' && $method !== \strtoupper($request['method'])) {
            return false;
        }
        $target = \str_contains($path, '?') ? $request['target'] : \explode('?', $request['target'])[0];
        $pattern = \implode('.*', \array_map(static fn(string $part): string => \preg_quote($part, '~'), \explode('*', $path)));
        if (\preg_match("~^$pattern\z~s", $target) !== 1) {
            return false;
        }
        $header = $wanted['header'] ?? null;
        return $header === null || self::header($header['name']) === $header['value'];
    }

    private static function header(string $name): ?string
    {
        $key = \strtoupper(\str_replace('-', '_', $name));
        // Two of them CGI hands over under names of their own (RFC 3875, 4.1).
        return $_SERVER["HTTP_$key"] ?? (\in_array($key, ['CONTENT_TYPE', 'CONTENT_LENGTH'], true) ? $_SERVER[$key] ?? null : null);
    }

    /** @return array<string, mixed> what the request carries, by the names under which it is shown */
    public static function parts(): array
    {
        return [
            '$_GET' => $_GET,
            '$_POST' => $_POST,
            '$_COOKIE' => Veil::hides('cookie') ? \array_map(static fn(): string => Veil::HIDDEN, $_COOKIE) : $_COOKIE,
            '$_FILES' => $_FILES,
            '$_SERVER' => $_SERVER,
            'headers' => self::headers(),
            'session' => \session_status() === \PHP_SESSION_ACTIVE ? $_SESSION : null,
            'body' => self::current() === null ? '' : Veil::masked((string) @\file_get_contents('php://input')),
        ];
    }

    /** The body as a whole, which PHP gives as often as it is asked for; JSON as what it says. */
    public static function body(): mixed
    {
        $text = (string) @\file_get_contents('php://input');
        $isJson = \preg_match('~[/+]json\b~', (string) ($_SERVER['CONTENT_TYPE'] ?? '')) === 1;
        return ($isJson ? \json_decode($text, true) : null) ?? $text;
    }

    /** @return array<string, string> */
    public static function headers(): array
    {
        $headers = [];
        foreach ($_SERVER as $key => $value) {
            if (\str_starts_with((string) $key, 'HTTP_')) {
                $headers[\str_replace('_', '-', \strtolower(\substr($key, 5)))] = $value;
            }
        }
        return $headers;
    }

    /** @return array<string, mixed> what of the answer is there: it may have been sent in part */
    public static function response(): array
    {
        $status = \http_response_code();
        return [
            'status' => \is_int($status) ? $status : 200,
            'headers' => \array_map([Veil::class, 'header'], \headers_list()),
            'sent' => \headers_sent(),
            'body' => \ob_get_level() > 0 ? Veil::masked((string) \ob_get_contents()) : '',
            'buffers' => \ob_get_level(),
        ];
    }
}
