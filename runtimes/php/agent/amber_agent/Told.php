<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * A request that only has something to tell, and is over: it adds a line to a file that the other side reads, which costs it
 * a fifth of a connection (docs/php.md). What is told while it runs, and whatever may be held, goes by the connection.
 */
final class Told
{
    /** Bytes at which it is looked whether anybody reads; and of more the connection is told, which counts what nobody takes. */
    private const MUCH = 2 * 1024 * 1024;
    private const MOST_UNREAD = 8 * 1024 * 1024;

    /** Tells of the request, which has no connection; false where that cannot be done. */
    public static function write(): bool
    {
        $plan = Plan::$current;
        $method = $_SERVER['REQUEST_METHOD'] ?? null;
        if ($plan === null || $method === null || \PHP_SAPI === 'cli' || Plan::isBlank()) {
            return false;
        }
        Probe::$isBusy = true;
        [$hits, $dropped] = \class_exists(Hits::class, false) ? Hits::waiting() : [[], []];
        $status = \http_response_code();
        $line = [
            'method' => (string) $method,
            'target' => (string) ($_SERVER['REQUEST_URI'] ?? ''),
            'traceparent' => (string) ($_SERVER['HTTP_TRACEPARENT'] ?? ''),
            'began' => (int) (Start::$began * 1e6),
            'milliseconds' => \round((\microtime(true) - Start::$began) * 1000, 3),
            'status' => \is_int($status) ? $status : null,
        ];
        $line += $hits === [] ? [] : ['hits' => $hits];
        $line += $dropped === [] ? [] : ['dropped' => (object) $dropped];
        $line += Probe::$counts === [] ? [] : ['counts' => Probe::counted()];
        return self::append("{$plan['counts']}/told", $line);
    }

    /** @param array<string, mixed> $line */
    private static function append(string $path, array $line): bool
    {
        Start::need('Veil');
        // What stands before may have been cut off by a full disk.
        $text = "\n" . Veil::json($line) . "\n";
        $file = @\fopen($path, 'a');
        if ($file === false) {
            return false;
        }
        $unread = \fstat($file)['size'] ?? 0;
        $isForNobody = $unread > self::MUCH && !Plan::isAwake(Plan::$current);
        $isWritten = !$isForNobody && $unread < self::MOST_UNREAD && @\fwrite($file, $text) === \strlen($text);
        \fclose($file);
        if ($isForNobody) {
            // Whose plan it is has ended, and stays in the list of processes.
            Plan::clearCurrent();
        }
        return $isWritten || $isForNobody;
    }
}
