<?php
declare(strict_types=1);

namespace AmberLantern;

/** The frames of the request, without ours. */
final class Stack
{
    private const INCLUDES = ['include', 'include_once', 'require', 'require_once'];

    /**
     * Innermost frame first. The interpreter tells of each call where it was made, so that the place of a frame stands in the
     * entry of the function that it called.
     * @return list<array{file: string, line: int, name: string, arguments: array<mixed>, object: ?object, function: string, class: string}>
     */
    public static function frames(string $file, int $line): array
    {
        $trace = \debug_backtrace(\DEBUG_BACKTRACE_PROVIDE_OBJECT);
        $at = 0;
        // Up to the innermost code that was evaluated for us, and the evaluations around it.
        while (isset($trace[$at]) && $trace[$at]['function'] !== 'eval') {
            $at += 1;
        }
        while (($trace[$at]['function'] ?? '') === 'eval' && !isset($trace[$at]['class'])) {
            $at += 1;
        }
        return self::walk([$file, $line], \array_slice($trace, $at));
    }

    /**
     * The frames around a warning, whose handler was called from where it stands.
     * @return list<array{file: string, line: int, name: string, arguments: array<mixed>, object: ?object, function: string, class: string}>
     */
    public static function aroundWarning(string $file, int $line): array
    {
        $trace = \debug_backtrace(\DEBUG_BACKTRACE_PROVIDE_OBJECT);
        $at = 0;
        while (isset($trace[$at]) && ($trace[$at]['function'] !== 'handle' || ($trace[$at]['class'] ?? '') !== Errors::class)) {
            $at += 1;
        }
        return self::walk([$file, $line], \array_slice($trace, $at + 1));
    }

    /**
     * The frames through which an error has come, which are gone by now but for the outermost.
     * @return list<array{file: string, line: int, name: string, arguments: array<mixed>, object: ?object, function: string, class: string}>
     */
    public static function ofError(\Throwable $error): array
    {
        return self::walk([$error->getFile(), $error->getLine()], $error->getTrace());
    }

    /**
     * @param array{string, int}|null $place
     * @param list<array<string, mixed>> $trace
     * @return list<array{file: string, line: int, name: string, arguments: array<mixed>, object: ?object, function: string, class: string}>
     */
    private static function walk(?array $place, array $trace): array
    {
        $frames = [];
        foreach ($trace as $entry) {
            if ($place !== null) {
                $frames[] = self::frame($place, $entry);
            }
            $place = isset($entry['file']) ? [$entry['file'], $entry['line']] : null;
            if ($place !== null && ($place[0] === Plan::$stub || \str_starts_with($place[0], \dirname(__DIR__) . '/'))) {
                // The include that stands for the start of the script.
                $frames[\count($frames) - 1]['name'] = '{main}';
                return $frames;
            }
        }
        if ($place !== null) {
            $frames[] = self::frame($place, ['function' => '']);
        }
        return $frames;
    }

    /**
     * @param array{string, int} $place
     * @param array<string, mixed> $entry
     * @return array{file: string, line: int, name: string, arguments: array<mixed>, object: ?object, function: string, class: string}
     */
    private static function frame(array $place, array $entry): array
    {
        $function = $entry['function'];
        $class = \explode("\0", $entry['class'] ?? '')[0];
        $isFile = $function === '' || \in_array($function, self::INCLUDES, true) && $class === '';
        if ($isFile) {
            $name = $function === '' ? '{main}' : \basename($place[0]);
        } else {
            $name = $class === '' ? $function : $class . ($entry['type'] ?? '::') . self::short($function);
        }
        return [
            'file' => (string) \preg_replace('/\(\d+\) : eval\(\)\'d code.*$/', '', $place[0]),
            'line' => $place[1],
            'name' => $name,
            'arguments' => $isFile ? [] : $entry['args'] ?? [],
            'object' => $entry['object'] ?? null,
            'function' => $isFile ? '' : $function,
            'class' => $entry['class'] ?? '',
        ];
    }

    private static function short(string $function): string
    {
        return \str_ends_with($function, '{closure}') ? '{closure}' : $function;
    }

    /**
     * The arguments of a call by the names of its parameters; what is not known by name has its place.
     * @param array<string, mixed> $frame
     * @return array<string, mixed>
     */
    public static function arguments(array $frame): array
    {
        $named = [];
        try {
            $about = $frame['class'] !== ''
                ? new \ReflectionMethod($frame['class'], $frame['function'])
                : new \ReflectionFunction($frame['function']);
            $parameters = $about->getParameters();
        } catch (\ReflectionException) {
            $parameters = [];
        }
        foreach ($frame['arguments'] as $index => $value) {
            $parameter = $parameters[$index] ?? null;
            if ($parameter !== null && $parameter->isVariadic()) {
                $named[$parameter->getName()] = \array_slice($frame['arguments'], $index);
                break;
            }
            $named[$parameter?->getName() ?? "argument $index"] = $value;
        }
        return $named;
    }
}
