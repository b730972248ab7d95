<?php
declare(strict_types=1);

namespace AmberLantern;

/** What can be looked at in a frame, by the contexts of DBGp. */
final class Contexts
{
    public const LOCALS = 0;
    private const GLOBALS = 1;
    private const CONSTANTS = 2;
    private const REQUEST = 3;
    private const RESPONSE = 4;
    private const SENT = 5;
    public const SUPERGLOBALS = [
        'GLOBALS' => true, '_GET' => true, '_POST' => true, '_COOKIE' => true, '_FILES' => true, '_SERVER' => true,
        '_ENV' => true, '_REQUEST' => true, '_SESSION' => true,
    ];

    public static function names(int $depth): string
    {
        $names = [
            self::LOCALS => self::isWhole($depth) ? 'Locals' : 'Arguments (no other locals of this frame are to be had in PHP)',
            self::GLOBALS => 'Globals',
            self::CONSTANTS => 'Constants',
        ];
        if (self::sent() !== null) {
            $names = [self::LOCALS => $names[self::LOCALS], self::SENT => 'Sent'] + $names;
        }
        if (Request::current() !== null) {
            $names += [self::REQUEST => 'Request', self::RESPONSE => 'Response'];
        }
        $text = '';
        foreach ($names as $id => $name) {
            $text .= Packet::element('context', ['name' => $name, 'id' => (string) $id], '');
        }
        return $text;
    }

    /** What is sent where the request is held. */
    private static function sent(): ?Sending
    {
        return \class_exists(Sends::class, false) ? Sends::$current : null;
    }

    /** Whether all variables of a frame can be had: those of the innermost, and of code outside functions. */
    private static function isWhole(int $depth): bool
    {
        return $depth === 0 && !Paused::$isApart || self::isGlobal($depth);
    }

    private static function isGlobal(int $depth): bool
    {
        return (Paused::$frames[$depth]['name'] ?? '') === '{main}';
    }

    /**
     * By the name under which each can be asked for: the name that is shown, and the value.
     * @return array<string, array{string, mixed}>
     */
    public static function roots(int $depth, int $context): array
    {
        $roots = [];
        if ($context === self::REQUEST || $context === self::RESPONSE) {
            foreach ($context === self::REQUEST ? Request::parts() : Request::response() as $name => $value) {
                $roots[$name[0] === '$' ? $name : "@$name"] = [$name, $value];
            }
            return $roots;
        }
        if ($context === self::SENT) {
            foreach (self::sent()?->parts() ?? [] as $name => $value) {
                $roots["@sent $name"] = [$name, $value];
            }
            return $roots;
        }
        if ($context === self::CONSTANTS) {
            foreach (\get_defined_constants(true)['user'] ?? [] as $name => $value) {
                $roots["@constant $name"] = [$name, $value];
            }
            return $roots;
        }
        $frame = Paused::$frames[$depth] ?? throw new \RuntimeException("there is no frame $depth", 301);
        $isInnermost = $depth === 0 && !Paused::$isApart;
        $object = $isInnermost ? Paused::$object : $frame['object'];
        if ($context === self::LOCALS && $object !== null) {
            $roots['$this'] = ['$this', $object];
        }
        $variables = match (true) {
            $context === self::GLOBALS || !$isInnermost && self::isGlobal($depth) => \array_diff_key($GLOBALS, self::SUPERGLOBALS),
            $isInnermost => Paused::$variables,
            default => Stack::arguments($frame),
        };
        foreach ($variables as $name => $value) {
            $roots["\$$name"] = ["\$$name", $value];
        }
        return $roots;
    }

    /**
     * What a name may go on with: variables of the frame, members of what a path reaches.
     * @return list<string>
     */
    public static function completions(int $depth, string $text): array
    {
        if (\preg_match('/(\$[\w>\[\]"\'-]+)->(\w*)$/', $text, $found) === 1) {
            try {
                $value = Property::find(\strtr($found[1], "'", '"'), $depth, self::LOCALS)[1];
            } catch (\Throwable) {
                return [];
            }
            $names = [];
            if (\is_object($value)) {
                $names = \array_column(Values::properties($value), 0);
                foreach (\get_class_methods($value) as $method) {
                    $names[] = "$method(";
                }
            }
            return self::beginning($names, $found[2], '');
        }
        if (\preg_match('/\$(\w*)$/', $text, $found) === 1) {
            $names = \array_map(static fn(array $root): string => \ltrim($root[0], '$'), self::roots($depth, self::LOCALS));
            return self::beginning(\array_merge(\array_values($names), \array_keys(self::SUPERGLOBALS)), $found[1], '$');
        }
        return [];
    }

    /**
     * @param list<string> $names
     * @return list<string>
     */
    private static function beginning(array $names, string $start, string $before): array
    {
        $fitting = \array_filter($names, static fn(string $name): bool => \str_starts_with($name, $start));
        return \array_values(\array_map(static fn(string $name): string => $before . $name, \array_unique($fitting)));
    }
}
