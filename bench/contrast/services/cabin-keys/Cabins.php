<?php

class Cabins
{
    private const ALL = [
        '101' => ['deck' => 1, 'guest' => null, 'closed' => false],
        '102' => ['deck' => 1, 'guest' => null, 'closed' => true],
        '103' => ['deck' => 1, 'guest' => 'Olaf', 'closed' => false],
        '204' => ['deck' => 2, 'guest' => null, 'closed' => false],
        '205' => ['deck' => 2, 'guest' => null, 'closed' => true],
        '301' => ['deck' => 3, 'guest' => null, 'closed' => false],
    ];

    public function has(string $number): bool
    {
        return isset(self::ALL[$number]);
    }

    public function isFree(string $number): bool
    {
        $cabin = self::ALL[$number];
        return $cabin['guest'] === null;
    }

    public function deckOf(string $number): int
    {
        return self::ALL[$number]['deck'];
    }
}
