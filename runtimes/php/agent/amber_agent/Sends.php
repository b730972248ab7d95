<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * Requests that the program sends, as the calls say them that stand in its text (SendSites): by curl, and by functions that
 * open addresses. Nothing in here may raise, nor be seen by the program.
 */
final class Sends
{
    /** Where a function has the address, and where the context of a stream. */
    private const ADDRESS = ['file_get_contents' => [0, 2], 'fopen' => [0, 3], 'file' => [0, 2], 'readfile' => [0, 2], 'get_headers' => [0, 2]];
    private const HANDLE = ['curl_exec' => 0, 'curl_multi_add_handle' => 1];

    /** @var list<array{string, list<mixed>}> calls whose arguments are being computed, the innermost last */
    private static array $calls = [];
    /** @var \WeakMap<object, array<int, mixed>>|null what was said of a handle of curl, by option */
    private static ?\WeakMap $options = null;
    /** @var list<array{Sending|null, object|null}> what is being sent, the innermost last, and its handle */
    private static array $underWay = [];
    private static mixed $address = null;
    /** What is sent where an expression is computed, or the request is held. */
    public static ?Sending $current = null;

    /** An argument of a call, which is passed on. */
    public static function take(string $name, int $at, int $of, mixed $value): mixed
    {
        try {
            if ($at === 0) {
                self::$calls[] = [$name, []];
            }
            // Those above it were left by an error.
            while (self::$calls !== [] && \end(self::$calls)[0] !== $name) {
                \array_pop(self::$calls);
            }
            $last = \count(self::$calls) - 1;
            if ($last >= 0) {
                self::$calls[$last][1][] = $value;
                if ($at === $of - 1) {
                    self::called($name, \array_pop(self::$calls)[1]);
                }
            }
        } catch (\Throwable) {
            // What the program sends goes out all the same.
        }
        return $value;
    }

    /** The first of two; the other was computed for what it does. */
    public static function first(mixed $value, mixed $other = null): mixed
    {
        return $value;
    }

    /** What `curl_init` has given. */
    public static function made(mixed $handle): mixed
    {
        if (\is_object($handle) && self::$address !== null) {
            self::say($handle, [\CURLOPT_URL => self::$address]);
        }
        self::$address = null;
        return $handle;
    }

    /** Before the call: code of the marks that are for what is sent. */
    public static function due(string $id, int $point, int $line): string
    {
        [$sending] = \end(self::$underWay) ?: [null];
        return $sending === null ? '' : self::codeOf($sending, false, $id, $point, $line);
    }

    /** After it: the same of those that ask for the answer. */
    public static function answered(string $id, int $point, int $line): string
    {
        [$sending, $handle] = \array_pop(self::$underWay) ?? [null, null];
        if ($sending === null || !\array_filter(Plan::$current['sends'] ?? [], static fn(array $mark): bool => $mark['answered'])) {
            return '';
        }
        if ($handle !== null) {
            $sending->status = \curl_getinfo($handle, \CURLINFO_RESPONSE_CODE);
            return self::codeOf($sending, true, $id, $point, $line);
        }
        self::$underWay[] = [$sending, null];
        if (\function_exists('http_get_last_response_headers')) {
            return self::headed(\http_get_last_response_headers() ?? [], $id, $point, $line);
        }
        // Before 8.4 the interpreter puts the answer's headers where the call stands, and nowhere else.
        return "return eval(\\AmberLantern\\Sends::headed(\$http_response_header??[],'$id',$point,$line));";
    }

    /** @param array<mixed> $headers of all answers, one after the other */
    public static function headed(array $headers, string $id, int $point, int $line): string
    {
        [$sending] = \array_pop(self::$underWay);
        foreach ($headers as $header) {
            if (\preg_match('~^HTTP/[\d.]+ (\d+)~', (string) $header, $found) === 1) {
                $sending->status = (int) $found[1];
            }
        }
        return $sending->status === null ? '' : self::codeOf($sending, true, $id, $point, $line);
    }

    /** A breakpoint whose condition is true: the request is held on the line of the call. */
    public static function hit(int $number, string $id, int $point, int $line): string
    {
        $code = Probe::hit($number, $id, $point);
        if ($code !== '') {
            Paused::at($line);
        }
        return $code;
    }

    /** What is sent is looked at no more. */
    public static function over(): void
    {
        self::$current = null;
    }

    /** @return Sending what an expression asks for; `$isShown`: it is told, so that what has a secret name is hidden in it */
    public static function sent(bool $isShown): Sending
    {
        $sent = self::$current ?? throw new \LogicException('no request is sent here');
        return $isShown ? $sent->veiled() : $sent;
    }

    private static function codeOf(Sending $sending, bool $isAnswered, string $id, int $point, int $line): string
    {
        if (Probe::$isBusy || Plan::$current === null) {
            return '';
        }
        try {
            Start::need('Splice', 'Asking', 'Expression', 'Veil');
            $code = '';
            foreach (Plan::$current['sends'] ?? [] as $mark) {
                $isMeant = $mark['answered'] === $isAnswered && \in_array($mark['method'], ['*', $sending->method], true)
                    && \preg_match('~' . \str_replace('~', '\~', $mark['matches']) . '~s', $sending->url) === 1;
                if ($isMeant && Expression::troubleOf($mark) === '') {
                    $hit = "\\AmberLantern\\Probe::hit({$mark['id']},'$id',$point)";
                    $code .= \str_replace($hit, "\\AmberLantern\\Sends::hit({$mark['id']},'$id',$point,$line)", Splice::mark($mark, $id, $point));
                }
            }
            if ($code === '') {
                return '';
            }
            self::$current = $sending;
            $outline = Files::outlineOf($id);
            return $outline->namespaces[$outline->points[$point][2]] . $code . '\AmberLantern\Sends::over();';
        } catch (\Throwable $error) {
            return Probe::giveUp($error);
        }
    }

    /** @param list<mixed> $values */
    private static function called(string $name, array $values): void
    {
        switch ($name) {
            case 'curl_init':
                self::$address = \is_string($values[0]) ? $values[0] : null;
                return;
            case 'curl_setopt':
                self::say($values[0], [$values[1] => $values[2] ?? null]);
                return;
            case 'curl_setopt_array':
                self::say($values[0], \is_array($values[1] ?? null) ? $values[1] : []);
                return;
        }
        $handle = $values[self::HANDLE[$name] ?? -1] ?? null;
        $made = null;
        try {
            Start::need('Sending');
            [$at, $context] = self::ADDRESS[$name] ?? [null, null];
            $made = $handle === null ? self::ofStream($values[$at ?? 0] ?? null, $values[$context ?? 0] ?? null, $name) : self::ofHandle($handle);
        } finally {
            // Whatever it is, its end takes one away.
            if ($name !== 'curl_multi_add_handle' || $made !== null) {
                self::$underWay[] = [$made, $handle];
            }
        }
    }

    /** @param array<int, mixed> $said */
    private static function say(mixed $handle, array $said): void
    {
        if (\is_object($handle)) {
            self::$options ??= new \WeakMap();
            self::$options[$handle] = $said + (self::$options[$handle] ?? []);
        }
    }

    private static function ofHandle(object $handle): Sending
    {
        $said = self::$options[$handle] ?? [];
        $body = $said[\CURLOPT_POSTFIELDS] ?? null;
        $method = $said[\CURLOPT_CUSTOMREQUEST] ?? match (true) {
            $body !== null, (bool) ($said[\CURLOPT_POST] ?? false) => 'POST',
            (bool) ($said[\CURLOPT_NOBODY] ?? false) => 'HEAD',
            (bool) ($said[\CURLOPT_UPLOAD] ?? $said[\CURLOPT_PUT] ?? false) => 'PUT',
            default => 'GET',
        };
        $url = $said[\CURLOPT_URL] ?? \curl_getinfo($handle, \CURLINFO_EFFECTIVE_URL);
        return new Sending((string) $method, (string) $url, (array) ($said[\CURLOPT_HTTPHEADER] ?? []), $body);
    }

    /** What a function opens, where it is an address of HTTP's. */
    private static function ofStream(mixed $address, mixed $context, string $name): ?Sending
    {
        if (!\is_string($address) || \preg_match('~^https?://~i', $address) !== 1) {
            return null;
        }
        $http = \stream_context_get_options(\is_resource($context) ? $context : \stream_context_get_default())['http'] ?? [];
        $headers = $http['header'] ?? [];
        $lines = \is_array($headers) ? $headers : \explode("\r\n", (string) $headers);
        return new Sending((string) ($http['method'] ?? 'GET'), $address, $lines, $http['content'] ?? null);
    }
}
