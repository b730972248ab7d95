<?php
declare(strict_types=1);

namespace AmberLantern;

/** What spliced code calls. Nothing in here may raise, nor be seen by the program. */
final class Probe
{
    /** Statements that are passed between two looks whether something else is wanted by now. */
    private const EVERY = 256;
    /** How many are left until then; below zero while they are looked at one by one. */
    public static int $left = self::EVERY;
    /** Whether they are: something is stepped, waited for, or was marked after it was included. */
    private static bool $on = false;
    /**
     * The mark whose expressions are being computed, so that what they warn of is not told to the program; below zero once
     * they have warned of something.
     */
    public static int $mark = 0;
    private static string $warning = '';
    /** Whether what a logpoint needs is loaded. */
    private static bool $canTell = false;
    /** While a request is paused, or our own code runs, nothing else is looked at. */
    public static bool $isBusy = false;
    /** @var array{string, int}|null a point at which the request has just been stopped by a mark */
    private static ?array $stoppedAt = null;
    /** @var array<int, array{hits: int, errors: int, first: string}> by mark, in this request */
    public static array $counts = [];

    /** What was counted in this request, as it is told. @return list<array<string, mixed>> */
    public static function counted(): array
    {
        $counts = [];
        foreach (self::$counts as $mark => $counted) {
            $counts[] = ['id' => $mark] + $counted;
        }
        return $counts;
    }

    public static function lookAtAll(bool $on): void
    {
        self::$on = $on;
        self::$left = $on ? 0 : self::EVERY;
    }

    /** At a statement, now and then or at each: code to run there, '' for none. */
    public static function at(string $id, int $point): string
    {
        if (self::$isBusy) {
            return '';
        }
        if (!self::$on) {
            self::look();
            if (!self::$on) {
                return '';
            }
        }
        $again = self::$stoppedAt === [$id, $point];
        self::$stoppedAt = null;
        if ($again) {
            return '';
        }
        try {
            Start::need('Step');
            $late = Step::lateMarks($id, $point);
            if ($late !== '') {
                return $late;
            }
            $reason = Step::reasonAt($id, $point);
            return $reason === '' ? '' : self::stop($reason, [], $id, $point);
        } catch (\Throwable $error) {
            return self::giveUp($error);
        }
    }

    /** Whether there is another plan by now, or none. */
    private static function look(): void
    {
        self::$left = self::EVERY;
        try {
            if (Plan::hasChanged()) {
                Start::need('Step');
                Step::planned();
            }
        } catch (\Throwable $error) {
            self::giveUp($error);
        }
    }

    /** A breakpoint whose condition is true. */
    public static function hit(int $number, string $id, int $point): string
    {
        if (self::$isBusy || !isset(Plan::$marks[$number])) {
            return '';
        }
        try {
            // Somebody who has left, or has dropped the mark meanwhile, is not to be waited for.
            if (!Plan::refresh()) {
                self::leave();
                return '';
            }
            if (!isset(Plan::$marks[$number]) || self::hasFailed() || !self::isTaken($number)) {
                return '';
            }
            self::$stoppedAt = [$id, $point];
            return self::stop('breakpoint', [$number], $id, $point);
        } catch (\Throwable $error) {
            return self::giveUp($error);
        }
    }

    /** A logpoint whose condition is true. @param list<mixed> $values */
    public static function log(int $number, array $values): void
    {
        if (self::$isBusy || !isset(Plan::$marks[$number])) {
            return;
        }
        try {
            if (!self::$canTell) {
                self::$canTell = true;
                Start::need('Hits', 'Values', 'Veil', 'Session');
            }
            if (self::$mark < 0) {
                self::$mark = 0;
                Hits::tellError($number, self::$warning);
                return;
            }
            self::$mark = 0;
            if (self::isTaken($number)) {
                Hits::tell($number, $values);
            }
        } catch (\Throwable $error) {
            self::giveUp($error);
        }
    }

    /** The request that is served, which an expression asks for. @param bool $isShown whether what comes of it is told */
    public static function request(bool $isShown): Asking
    {
        Start::need('Asking', 'Request', 'Veil');
        return Asking::request($isShown);
    }

    /** The request that is sent, for which an expression asks. */
    public static function sent(bool $isShown): Sending
    {
        Start::need('Sends', 'Sending', 'Veil');
        return Sends::sent($isShown);
    }

    /** A line that is followed. @param array<string, mixed> $variables those of its function */
    public static function follow(int $number, array $variables, string $id, int $point, ?object $own): void
    {
        if (self::$isBusy || !isset(Plan::$marks[$number])) {
            return;
        }
        try {
            if (self::hasFailed() || !self::isTaken($number)) {
                return;
            }
            Start::need('Hits', 'Followed', 'Values', 'Veil', 'Session');
            Followed::pass($number, $variables, $id, $point, $own);
        } catch (\Throwable $error) {
            self::giveUp($error);
        }
    }

    public static function count(int $number): void
    {
        if (!self::$isBusy && isset(Plan::$marks[$number]) && !self::hasFailed()) {
            self::isTaken($number);
        }
    }

    /** A mark's expression raised. */
    public static function failed(int $number, \Throwable $error): void
    {
        self::$mark = 0;
        $text = \get_class($error) . ': ' . $error->getMessage();
        self::fault($number, $text);
        if ((Plan::$marks[$number]['kind'] ?? '') === 'log') {
            Start::need('Hits', 'Values', 'Veil', 'Session');
            Hits::tellError($number, $text);
        }
    }

    /** A mark's expression has warned, which in PHP is how a name is not there. */
    public static function warned(string $text): void
    {
        if (self::$mark > 0) {
            self::$warning = $text;
            self::fault(self::$mark, $text);
            self::$mark = -self::$mark;
        }
    }

    private static function hasFailed(): bool
    {
        $failed = self::$mark < 0;
        self::$mark = 0;
        return $failed;
    }

    private static function fault(int $number, string $text): void
    {
        self::$counts[$number] ??= ['hits' => 0, 'errors' => 0, 'first' => ''];
        self::$counts[$number]['errors'] += 1;
        self::$counts[$number]['first'] = self::$counts[$number]['first'] ?: $text;
    }

    /** Where only an expression may stand: the code of all marks at a point, and of a step. */
    public static function pass(string $id, int $point): string
    {
        if (self::$isBusy || Plan::$current === null) {
            return '';
        }
        try {
            $marks = Files::$spliced[$id][$point] ?? [];
            $code = self::codeOf($marks, $id, $point);
            return self::$left < 0 ? $code . "eval(\\AmberLantern\\Probe::at('$id',$point));" : $code;
        } catch (\Throwable $error) {
            return self::giveUp($error);
        }
    }

    /** Marks as code that is compiled where it runs. @param list<array<string, mixed>> $marks */
    public static function codeOf(array $marks, string $id, int $point): string
    {
        Start::need('Splice', 'Asking');
        $outline = Files::outlineOf($id);
        $code = $outline->namespaces[$outline->points[$point][2]];
        foreach ($marks as $mark) {
            $code .= Splice::mark($mark, $id, $point);
        }
        return $code;
    }

    /** Whether a pass counts by the mark's hit rule; it is counted then. */
    private static function isTaken(int $number): bool
    {
        if (isset(Plan::$marks[$number]['rule'])) {
            Start::need('Rule');
            if (!Rule::takes(Plan::$marks[$number]['rule'], Rule::pass($number))) {
                return false;
            }
        }
        if (isset(self::$counts[$number])) {
            self::$counts[$number]['hits'] += 1;
        } else {
            self::$counts[$number] = ['hits' => 1, 'errors' => 0, 'first' => ''];
        }
        return true;
    }

    /**
     * Code that holds the request at a point and answers questions in the scope that is there.
     * @param list<int> $marks
     */
    public static function stop(string $reason, array $marks, string $id, int $point): string
    {
        Start::need('Session', 'Paused', 'Stack', 'Step', 'Request', 'Values', 'Veil');
        return Paused::begin($reason, $marks, $id, $point) ? Paused::CODE : '';
    }

    /** Takes ourselves out of this request after a defect of ours, and says so. */
    public static function giveUp(\Throwable $error): string
    {
        self::leave();
        try {
            Start::need('Session');
            Session::trouble("a defect of ours, this request goes on without marks: {$error->getMessage()}");
        } catch (\Throwable) {
        }
        return '';
    }

    /** From now on nothing is looked at in this request. */
    public static function leave(): void
    {
        self::$on = false;
        self::$mark = 0;
        self::$counts = [];
        Plan::leave();
        self::$left = Plan::$current === null ? \PHP_INT_MAX : self::EVERY;
    }
}
