<?php
declare(strict_types=1);

namespace AmberLantern;

/**
 * The connection of this request to who is attached, in DBGp (docs/dbgp.md). It is opened when there is something to tell, so
 * that a request that meets no mark has none.
 */
final class Session
{
    /** Seconds of silence from our own adapter, or from whoever never says anything, after which a paused request goes on. */
    private const PATIENCE = 20;
    /** Seconds that the request waits at most for a reader; and at its end for one that takes nothing meanwhile. */
    private const MOST_WAIT = 2.0;
    private const TELLING_WAIT = 0.5;
    /** The same where another request has just found that nobody reads. */
    private const KNOWN_WAIT = 0.02;
    /** EAGAIN (connect(2), for Unix sockets); its number on Linux, and elsewhere. */
    private const QUEUE_FULL = \PHP_OS_FAMILY === 'Linux' ? 11 : 35;
    /** Bytes that may wait to be sent before hits are left out. */
    private const MOST_UNSENT = 4 * 1024 * 1024;

    /** @var resource|null */
    private static $socket = null;
    private static bool $isOver = false;
    private static string $received = '';
    private static string $unsent = '';
    /** Bytes that were handed to us and that went out, in all. */
    private static int $queued = 0;
    private static int $written = 0;
    /** @var list<array{int, array<string, mixed>}> what packets tell, by the byte at which each ends, until they are out */
    private static array $packets = [];
    /** @var array<int, array{hits: int, errors: int, first: string}> what was told of counts */
    private static array $told = [];
    /** The command that is to be answered at the next stop: its name and number. @var array{string, string}|null */
    public static ?array $awaited = null;
    /** Whether the other side has sent what shows that it is our own adapter. */
    public static bool $beats = false;
    private static bool $hasHeard = false;

    /** Connects, and says who we are. */
    public static function open(): bool
    {
        if (self::$socket !== null) {
            return true;
        }
        if (self::$isOver || Plan::$current === null || Plan::isBlank()) {
            return false;
        }
        $socket = Plan::isSuspended(Plan::$current) ? false : self::connect();
        if ($socket === false) {
            self::$isOver = true;
            return false;
        }
        \stream_set_blocking($socket, false);
        \stream_set_write_buffer($socket, 0);
        self::$socket = $socket;
        Start::need('Request', 'Packet');
        self::send(Packet::init());
        return true;
    }

    /**
     * Where many requests come at once the queue of the other side may be full for a moment; it is then tried again for a
     * while, but not where another request has just found that nobody reads.
     * @return resource|false
     */
    private static function connect()
    {
        $until = \microtime(true) + self::idleWait();
        do {
            $socket = @\stream_socket_client(Plan::$current['address'], $code, $text, 1.0);
            if ($socket !== false || $code !== self::QUEUE_FULL) {
                return $socket;
            }
            \usleep(2000);
        } while (\microtime(true) < $until);
        return false;
    }

    /** Whether there is a connection, or was one. */
    public static function hasBegun(): bool
    {
        return self::$socket !== null || self::$isOver;
    }

    public static function isFull(): bool
    {
        return \strlen(self::$unsent) > self::MOST_UNSENT;
    }

    /** Puts a packet on its way; it does not wait. $tells: what is lost where nobody takes it, as `leave` has it. @param array<string, mixed> $tells */
    public static function send(string $xml, array $tells = []): void
    {
        $body = '<?xml version="1.0" encoding="UTF-8"?>' . "\n" . $xml;
        $packet = \strlen($body) . "\0" . $body . "\0";
        self::$unsent .= $packet;
        self::$queued += \strlen($packet);
        if ($tells !== []) {
            self::$packets[] = [self::$queued, $tells];
        }
        self::write();
    }

    /**
     * What nobody could be told is counted in a file beside the plan, for when somebody reads again.
     * @param array<string, mixed> $tells dropped: hits by mark; untold: requests; counts: as `amber_counts` has them
     */
    public static function leave(array $tells): void
    {
        $folder = Plan::$current['counts'] ?? null;
        if ($tells !== [] && $folder !== null) {
            @\file_put_contents("$folder/left", \json_encode($tells) . "\n", \FILE_APPEND | \LOCK_EX);
        }
    }

    private static function write(): void
    {
        while (self::$socket !== null && self::$unsent !== '') {
            $written = @\fwrite(self::$socket, self::$unsent);
            if ($written === false && \feof(self::$socket)) {
                self::lose();
                return;
            }
            if (!$written) {
                return;
            }
            self::$unsent = (string) \substr(self::$unsent, $written);
            self::$written += $written;
            while (self::$packets !== [] && self::$packets[0][0] <= self::$written) {
                \array_shift(self::$packets);
            }
        }
    }

    /** What others could not tell lies there until somebody reads again. */
    private static function idleWait(): float
    {
        return \is_file((Plan::$current['counts'] ?? '') . '/left') ? self::KNOWN_WAIT : self::TELLING_WAIT;
    }

    /** Waits until everything is sent, for a bounded time; less where the other side takes nothing for $idle seconds. */
    private static function flush(float $seconds, float $idle): void
    {
        $until = \microtime(true) + $seconds;
        $moved = \microtime(true);
        $before = self::$written;
        for (;;) {
            self::write();
            $now = \microtime(true);
            if (self::$written !== $before) {
                $before = self::$written;
                $moved = $now;
            }
            $left = \min($until, $moved + $idle) - $now;
            if (self::$unsent === '' || self::$socket === null || $left <= 0) {
                return;
            }
            $read = null;
            $write = [self::$socket];
            $except = null;
            @\stream_select($read, $write, $except, 0, (int) ($left * 1e6));
        }
    }

    /**
     * The next command; null when nobody is there any more.
     * @return array{name: string, options: array<string, string>, data: string}|null
     */
    public static function receive(): ?array
    {
        self::flush(self::MOST_WAIT, self::MOST_WAIT);
        $heard = \microtime(true);
        while (self::$socket !== null) {
            $end = \strpos(self::$received, "\0");
            if ($end !== false) {
                $line = \substr(self::$received, 0, $end);
                self::$received = (string) \substr(self::$received, $end + 1);
                return Packet::command($line);
            }
            $read = [self::$socket];
            $write = $except = null;
            if (@\stream_select($read, $write, $except, 1) > 0) {
                $part = @\fread(self::$socket, 65536);
                if ($part === false || $part === '' && \feof(self::$socket)) {
                    self::lose();
                    return null;
                }
                self::$received .= $part;
                self::$hasHeard = true;
                $heard = \microtime(true);
            } elseif ((self::$beats || !self::$hasHeard) && \microtime(true) - $heard > self::PATIENCE) {
                self::lose();
                return null;
            }
        }
        return null;
    }

    /** Nobody is there any more: this request goes on as if nobody had been. */
    public static function lose(): void
    {
        if (self::$socket !== null) {
            @\fclose(self::$socket);
        }
        self::$socket = null;
        self::forget();
        Probe::leave();
    }

    /** What is of one connection only; a script may have another one later. */
    private static function forget(): void
    {
        self::$unsent = '';
        self::$queued = self::$written = 0;
        self::$packets = [];
        self::$received = '';
        self::$awaited = null;
        self::$beats = self::$hasHeard = false;
        self::$told = [];
        self::$isOver = \PHP_SAPI !== 'cli';
    }

    /** What people should hear of: a file that could not be changed, a defect of ours. */
    public static function trouble(string $text): void
    {
        if (self::open()) {
            self::send(Packet::notify('amber_trouble', ['text' => $text]));
        }
    }

    /** What was counted is told at each stop and at the end. */
    public static function tellCounts(): void
    {
        if (Probe::$counts === self::$told) {
            return;
        }
        $counts = Probe::counted();
        if (self::open()) {
            self::send(Packet::notify('amber_counts', ['marks' => $counts]), ['counts' => $counts]);
        } else {
            self::leave(['counts' => $counts]);
        }
        self::$told = Probe::$counts;
    }

    /** The end of the request. $tells: whether it is to be told of although nothing else is. */
    public static function finish(bool $tells = false): void
    {
        Probe::$isBusy = true;
        try {
            if (\class_exists(Hits::class, false)) {
                Hits::flush();
            }
            self::tellCounts();
            if ($tells && !self::open()) {
                self::leave(['untold' => 1]);
            }
            if (self::$socket === null) {
                return;
            }
            $status = \http_response_code();
            self::send(Packet::notify('amber_request', [
                'status' => \is_int($status) ? $status : null,
                'milliseconds' => \round((\microtime(true) - Start::$began) * 1000, 3),
            ]), $tells ? ['untold' => 1] : []);
            if (self::$awaited !== null) {
                self::send(Packet::response(self::$awaited, ['status' => 'stopped', 'reason' => 'ok']));
            }
            self::flush(self::MOST_WAIT, self::$awaited === null ? self::idleWait() : self::MOST_WAIT);
            foreach (self::$packets as [, $left]) {
                self::leave($left);
            }
            // What was sent to us and never read would have the other side lose what it has not read yet.
            while (self::$socket !== null && (string) @\fread(self::$socket, 65536) !== '') {
                continue;
            }
        } catch (\Throwable) {
        }
        if (self::$socket !== null) {
            @\fclose(self::$socket);
            self::$socket = null;
        }
        self::forget();
    }
}
