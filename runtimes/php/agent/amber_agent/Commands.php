<?php
declare(strict_types=1);

namespace AmberLantern;

/** The commands of DBGp that a held request answers. Those that begin with `xcmd_amber_` are our own (docs/dbgp.md). */
final class Commands
{
    public const GOING_ON = ['run', 'step_into', 'step_over', 'step_out'];
    /** Features that can be set, and what they are. @var array<string, string> */
    private static array $features = ['max_children' => '100', 'max_data' => '1024', 'max_depth' => '1'];
    private const FIXED = [
        'language_supports_threads' => '0', 'language_name' => 'PHP', 'language_version' => \PHP_VERSION, 'encoding' => 'UTF-8',
        'protocol_version' => '1', 'supports_async' => '0', 'data_encoding' => 'base64', 'multiple_sessions' => '0',
        'show_hidden' => '1', 'extended_properties' => '0', 'notify_ok' => '1', 'supports_postmortem' => '0',
    ];
    /** Types of properties that can be stored as they are sent, and how. */
    private const CASTS = ['int' => '(int)', 'float' => '(float)', 'bool' => '(bool)', 'string' => ''];

    /**
     * Code for the scope in which the request stands; null for a command that needs none.
     * @param array{name: string, options: array<string, string>, data: string} $command
     */
    public static function codeFor(array $command): ?string
    {
        if (Paused::$isApart || (int) ($command['options']['d'] ?? 0) !== 0) {
            return null;
        }
        $prefix = Paused::prefix(0);
        switch ($command['name']) {
            case 'eval':
                return $prefix . self::asCode($command['data']);
            case 'xcmd_amber_assign':
                return "$prefix{$command['options']['n']}=({$command['data']}\n);return {$command['options']['n']};";
            case 'property_set':
                $cast = self::CASTS[$command['options']['t'] ?? 'string'] ?? '';
                $data = \base64_encode($command['data']);
                return "{$command['options']['n']}=$cast\\base64_decode('$data');return true;";
            default:
                return null;
        }
    }

    /** An expression whose value is wanted, or else statements. */
    private static function asCode(string $text): string
    {
        Start::need('Asking');
        $asked = Asking::written($text, true);
        $expression = "return ($asked\n);";
        foreach (\PhpToken::tokenize("<?php $text") as $token) {
            if ($token->id === T_EXIT || $token->id === T_HALT_COMPILER) {
                throw new \RuntimeException("{$token->text} would end the request");
            }
        }
        try {
            \PhpToken::tokenize("<?php $expression", TOKEN_PARSE);
        } catch (\CompileError) {
            try {
                \PhpToken::tokenize("<?php $text\n;", TOKEN_PARSE);
                return "$text\n;";
            } catch (\CompileError) {
            }
        }
        return $expression;
    }

    /** @param array{name: string, options: array<string, string>, data: string} $command */
    public static function computed(array $command, mixed $result): void
    {
        $id = [$command['name'], $command['options']['i'] ?? ''];
        if ($command['name'] === 'property_set') {
            Session::send(Packet::response($id, ['success' => '1']));
            return;
        }
        $text = $command['name'] === 'eval' ? $command['data'] : $command['options']['n'];
        $number = \count(Paused::$results);
        Paused::$results[$number] = $result;
        $limit = (int) ($command['options']['m'] ?? self::$features['max_data']);
        Session::send(Packet::response($id, ['success' => '1'], Veil::hidesExpression($text)
            ? Property::hidden($text, '')
            : Property::xml($text, "@$number", $result, '', self::shape($command) + ['text' => $limit])));
    }

    /** @param array{name: string, options: array<string, string>, data: string} $command */
    public static function plain(array $command): void
    {
        $id = [$command['name'], $command['options']['i'] ?? ''];
        try {
            $answer = self::answer($command, $id);
            if ($answer !== '') {
                Session::send($answer);
            }
        } catch (\Throwable $error) {
            Session::send(Packet::error($id, $error->getCode() ?: 998, $error->getMessage()));
        }
    }

    /**
     * @param array{name: string, options: array<string, string>, data: string} $command
     * @param array{string, string} $id
     */
    private static function answer(array $command, array $id): string
    {
        $options = $command['options'];
        $depth = (int) ($options['d'] ?? 0);
        switch ($command['name']) {
            case 'status':
                return Packet::response($id, ['status' => Paused::$frames === [] ? 'starting' : 'break', 'reason' => 'ok']);
            case 'feature_get':
                $name = $options['n'] ?? '';
                $value = self::$features[$name] ?? self::FIXED[$name] ?? null;
                $isKnown = $value !== null || \str_starts_with($name, 'xcmd_amber_');
                return Packet::response($id, ['feature_name' => $name, 'supported' => $isKnown ? '1' : '0'], (string) $value);
            case 'feature_set':
                $name = $options['n'] ?? '';
                $isKnown = isset(self::$features[$name]);
                if ($isKnown) {
                    self::$features[$name] = $options['v'] ?? '0';
                }
                return Packet::response($id, ['feature' => $name, 'success' => $isKnown ? '1' : '0']);
            case 'stack_depth':
                return Packet::response($id, ['depth' => (string) \count(Paused::$frames)]);
            case 'stack_get':
                return Packet::response($id, [], self::stack());
            case 'context_names':
                return Packet::response($id, [], Contexts::names($depth));
            case 'context_get':
                $context = (int) ($options['c'] ?? 0);
                return Packet::response($id, ['context' => (string) $context], self::context($depth, $context));
            case 'property_get':
            case 'property_value':
                return Packet::response($id, [], self::property($command));
            case 'eval':
                Paused::$warning = '';
                $result = self::inCaller($depth, $command['data']);
                Paused::answer($result, $command);
                return '';
            case 'xcmd_amber_heartbeat':
                Session::$beats = true;
                return Packet::response($id, ['success' => '1']);
            case 'xcmd_amber_plan':
                return Packet::response($id, ['success' => Plan::refresh() ? '1' : '0']);
            case 'xcmd_amber_response':
                $json = \json_encode(Request::response(), \JSON_INVALID_UTF8_SUBSTITUTE | \JSON_UNESCAPED_UNICODE);
                return Packet::response($id, ['encoding' => 'base64'], \base64_encode((string) $json));
            case 'xcmd_amber_sources':
                $own = \dirname(__DIR__) . '/';
                $files = \array_values(\array_filter(\get_included_files(), static fn (string $file): bool => !\str_starts_with($file, $own)));
                $json = \json_encode($files, \JSON_INVALID_UTF8_SUBSTITUTE | \JSON_UNESCAPED_UNICODE);
                return Packet::response($id, ['encoding' => 'base64'], \base64_encode((string) $json));
            case 'xcmd_amber_completions':
                $json = \json_encode(Contexts::completions($depth, $command['data']), \JSON_INVALID_UTF8_SUBSTITUTE);
                return Packet::response($id, ['encoding' => 'base64'], \base64_encode((string) $json));
            case 'xcmd_amber_assign':
            case 'property_set':
                throw new \RuntimeException('nothing can be assigned in this frame: only in the innermost, at a statement');
            case 'source':
                $text = @\file_get_contents(Packet::path($options['f'] ?? Start::$script));
                return Packet::response($id, ['success' => $text === false ? '0' : '1', 'encoding' => 'base64'], \base64_encode((string) $text));
            case 'stdout':
            case 'stderr':
                return Packet::response($id, ['success' => '0']);
            default:
                return Packet::error($id, 4, "{$command['name']} is not implemented");
        }
    }

    private static function stack(): string
    {
        $text = '';
        foreach (Paused::$frames as $level => $frame) {
            $text .= Packet::element('stack', [
                'level' => (string) $level,
                'type' => 'file',
                'filename' => Packet::uri($frame['file']),
                'lineno' => (string) $frame['line'],
                'where' => $frame['name'],
                'amber:foreign' => Plan::$current !== null && Plan::isForeign($frame['file']) ? '1' : '0',
            ], '');
        }
        return $text;
    }

    private static function context(int $depth, int $context): string
    {
        $text = '';
        foreach (Contexts::roots($depth, $context) as $fullName => [$name, $value]) {
            $text .= Veil::hides(\ltrim($name, '$')) && !isset(Contexts::SUPERGLOBALS[\ltrim($name, '$')])
                ? Property::hidden($name, $fullName)
                : Property::xml($name, $fullName, $value, '', self::shape([]));
        }
        return $text;
    }

    /** @param array{name: string, options: array<string, string>, data: string} $command */
    private static function property(array $command): string
    {
        $options = $command['options'];
        $fullName = $options['n'] ?? '';
        [$name, $value, $facet, $isHidden] = Property::find($fullName, (int) ($options['d'] ?? 0), (int) ($options['c'] ?? 0));
        return $isHidden
            ? Property::hidden($name, $fullName)
            : Property::xml($name, $fullName, $value, $facet, self::shape($command));
    }

    /**
     * How much of a value is told.
     * @param array<string, mixed> $command
     * @return array{depth: int, page: int, children: int, data: int}
     */
    private static function shape(array $command): array
    {
        return [
            'depth' => (int) self::$features['max_depth'],
            'page' => (int) ($command['options']['p'] ?? 0),
            'children' => \max(1, (int) self::$features['max_children']),
            'data' => (int) ($command['options']['m'] ?? self::$features['max_data']),
        ];
    }

    /** Computes with the arguments and `$this` of a frame that is not the innermost: all that can be had of it. */
    private static function inCaller(int $depth, string $text): mixed
    {
        $frame = Paused::$frames[$depth] ?? throw new \RuntimeException("there is no frame $depth", 301);
        $code = Paused::prefix($depth) . self::asCode($text);
        $compute = static function (): mixed {
            \extract(\func_get_arg(1));
            return eval(\func_get_arg(0));
        };
        if ($frame['object'] !== null) {
            $compute = function (): mixed {
                \extract(\func_get_arg(1));
                return eval(\func_get_arg(0));
            };
            $compute = @\Closure::bind($compute, $frame['object'], self::scopeOf($frame['object'], $frame['class']));
        }
        $variables = $frame['name'] === '{main}' ? \array_diff_key($GLOBALS, Contexts::SUPERGLOBALS) : Stack::arguments($frame);
        unset($variables['this']);
        return $compute($code, $variables);
    }

    /** The class in whose name code may look at an object; that of the interpreter's own cannot be taken. */
    private static function scopeOf(object $object, string $class): string
    {
        $name = $class !== '' ? $class : \get_class($object);
        return (new \ReflectionClass($name))->isInternal() ? \stdClass::class : $name;
    }
}
