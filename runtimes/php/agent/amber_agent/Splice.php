<?php
declare(strict_types=1);

namespace AmberLantern;

/** Puts code into the points of a source. Everything of it stays on the line where its point is. */
final class Splice
{
    /** The name of the variable that holds an error while a mark's code handles it. */
    public const CAUGHT = '$amber_lantern_caught';

    /**
     * @param string $id by which the code names the file
     * @param bool $steps whether a thread may be stepped through it
     * @param array<int, list<array<string, mixed>>> $marks by point, as the plan has them
     * @param bool $errors whether errors that leave a function are looked at
     */
    public static function text(Outline $outline, string $id, bool $steps, array $marks, bool $errors): string
    {
        $text = '';
        foreach ($outline->order as $index => $point) {
            $text .= $outline->pieces[$index];
            $kind = $outline->points[$point][0];
            if ($kind === 'f' || $kind === 'x') {
                $text .= $errors ? self::functionEnd($kind, $id, $point) : '';
                continue;
            }
            $atPoint = $marks[$point] ?? [];
            if ($steps || $atPoint !== []) {
                $text .= $kind === 's'
                    ? self::beforeStatement($id, $point, $steps, $atPoint)
                    : self::inExpression($kind, $id, $point, $steps, $atPoint);
            }
        }
        return $text . end($outline->pieces);
    }

    /** @param list<array<string, mixed>> $marks */
    private static function beforeStatement(string $id, int $point, bool $steps, array $marks): string
    {
        $code = '';
        foreach ($marks as $mark) {
            $code .= self::mark($mark, $id, $point);
        }
        return $code . ($steps ? "if(--\\AmberLantern\\Probe::\$left<0)eval(\\AmberLantern\\Probe::at('$id',$point));" : '');
    }

    /** What a mark does where statements may stand; its expressions become code of the program. @param array<string, mixed> $mark */
    public static function mark(array $mark, string $id, int $point): string
    {
        $number = $mark['id'];
        $caught = self::CAUGHT;
        $values = \array_map(static fn(string $value): string => Asking::written($value, true), $mark['values'] ?? []);
        $asked = Asking::written($mark['condition'], false);
        $does = match (true) {
            $mark['kind'] === 'log' => "\\AmberLantern\\Probe::log($number,[" . \implode(',', $values) . ']);',
            $mark['kind'] === 'count' => "\\AmberLantern\\Probe::count($number);",
            $mark['kind'] === 'follow' => "\\AmberLantern\\Probe::follow($number,\\get_defined_vars(),'$id',$point,isset(\$this)?\$this:null);",
            default => "eval(\\AmberLantern\\Probe::hit($number,'$id',$point));",
        };
        $condition = $asked === '' ? '' : "if($asked)";
        if ($condition === '' && ($mark['kind'] !== 'log' || $values === [])) {
            return $does;
        }
        return "try{\\AmberLantern\\Probe::\$mark=$number;$condition$does}catch(\\Throwable $caught)"
            . "{\\AmberLantern\\Probe::failed($number,$caught);unset($caught);}\\AmberLantern\\Probe::\$mark=0;";
    }

    /** @param list<array<string, mixed>> $marks */
    private static function inExpression(string $kind, string $id, int $point, bool $steps, array $marks): string
    {
        // No `try` can stand here, so that what a mark does is compiled apart and cannot raise.
        $probes = $marks === []
            ? "(--\\AmberLantern\\Probe::\$left<0&&eval(\\AmberLantern\\Probe::at('$id',$point)))"
            : "eval(\\AmberLantern\\Probe::pass('$id',$point))";
        return $kind === 'e' ? "($probes||true)&&" : "$probes?null:";
    }

    private static function functionEnd(string $kind, string $id, int $point): string
    {
        $caught = self::CAUGHT;
        return $kind === 'f'
            ? 'try{'
            : "}catch(\\Throwable $caught){if(\\AmberLantern\\Errors::isNew($caught))"
                . "eval(\\AmberLantern\\Errors::raised($caught,'$id',$point));throw $caught;}";
    }
}
