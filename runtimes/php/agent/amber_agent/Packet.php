<?php
declare(strict_types=1);

namespace AmberLantern;

/** The texts of DBGp: what we send, and the commands that we are sent. */
final class Packet
{
    private const OURS = 'urn:amber-lantern:dbgp';
    /** Attributes that name something; all others are texts, which the veil is for. */
    private const EXACT = ['name' => 0, 'fullname' => 0, 'fileuri' => 0, 'filename' => 0, 'xmlns' => 0, 'xmlns:amber' => 0];

    public static function init(): string
    {
        $request = Request::current();
        return self::element('init', [
            'xmlns' => 'urn:debugger_protocol_v1',
            'xmlns:amber' => self::OURS,
            'appid' => (string) \getmypid(),
            'idekey' => '',
            'session' => '',
            'thread' => '',
            'parent' => '',
            'language' => 'PHP',
            'amber:language_version' => \PHP_VERSION,
            'protocol_version' => '1.0',
            'fileuri' => self::uri(Start::$script),
            'amber:revision' => (string) (Plan::$current['revision'] ?? 0),
            // The built-in server does one thing after the other, unless it was given workers.
            'amber:alone' => \PHP_SAPI === 'cli-server' && (int) \getenv('PHP_CLI_SERVER_WORKERS') < 2 ? '1' : '0',
        ], self::element('engine', ['version' => Start::VERSION], 'Amber Lantern')
            . ($request === null ? '' : self::element('amber:request', $request + ['began' => \sprintf('%.0f', Start::$began * 1e6)], '')));
    }

    /**
     * @param array{string, string} $command name and number of what is answered
     * @param array<string, string> $attributes
     */
    public static function response(array $command, array $attributes = [], string $content = ''): string
    {
        return self::element('response', [
            'xmlns' => 'urn:debugger_protocol_v1',
            'xmlns:amber' => self::OURS,
            'command' => $command[0],
            'transaction_id' => $command[1],
        ] + $attributes, $content);
    }

    /** @param array{string, string} $command */
    public static function error(array $command, int $code, string $text): string
    {
        return self::response($command, [], self::element(
            'error',
            ['code' => (string) $code],
            self::element('message', [], self::escape(Veil::masked($text))),
        ));
    }

    /** @param array<string, mixed> $content */
    public static function notify(string $name, array $content): string
    {
        return self::element('notify', [
            'xmlns' => 'urn:debugger_protocol_v1',
            'name' => $name,
            'encoding' => 'base64',
        ], \base64_encode(Veil::json($content)));
    }

    /** @param array<string, string> $attributes */
    public static function element(string $name, array $attributes, string $content): string
    {
        $text = "<$name";
        foreach ($attributes as $key => $value) {
            $text .= " $key=\"" . self::escape(isset(self::EXACT[$key]) ? $value : Veil::masked($value)) . '"';
        }
        return $content === '' ? "$text/>" : "$text>$content</$name>";
    }

    public static function escape(string $text): string
    {
        // Characters that XML cannot have at all; line ends in attributes would become blanks.
        $text = (string) \preg_replace('/[\x00-\x08\x0B\x0C\x0E-\x1F]/', "\u{FFFD}", $text);
        $escaped = \htmlspecialchars($text, \ENT_QUOTES | \ENT_XML1 | \ENT_SUBSTITUTE, 'UTF-8');
        return \strtr($escaped, ["\n" => '&#10;', "\r" => '&#13;', "\t" => '&#9;']);
    }

    public static function uri(string $path): string
    {
        return 'file://' . \implode('/', \array_map('rawurlencode', \explode('/', $path)));
    }

    public static function path(string $uri): string
    {
        return \str_starts_with($uri, 'file://') ? \rawurldecode(\substr($uri, 7)) : $uri;
    }

    /**
     * Reads `name -i 1 -n "a \" b" -- base64`.
     * @return array{name: string, options: array<string, string>, data: string}
     */
    public static function command(string $line): array
    {
        [$head, $data] = \explode(' -- ', "$line -- ", 2);
        $name = \strtok($head, ' ');
        \preg_match_all('/ -([a-zA-Z]) (?:"((?:[^"\\\\]|\\\\.)*)"|(\S*))/s', $head, $found, \PREG_SET_ORDER);
        $options = [];
        foreach ($found as $option) {
            $options[$option[1]] = isset($option[3]) ? $option[3] : \preg_replace('/\\\\(.)/s', '$1', $option[2]);
        }
        return [
            'name' => (string) $name,
            'options' => $options,
            'data' => (string) \base64_decode(\rtrim(\substr($data, 0, -4))),
        ];
    }
}

Start::need('Veil');
