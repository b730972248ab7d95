<?php

class Prizes
{
    private const PRIZES = ['B42' => 'a boat', 'B0042' => 'a lantern', 'B0815' => 'an oar', 'B77' => 'a rope'];

    public function __construct(private string $printed)
    {
    }

    public function best(): string
    {
        return self::PRIZES[$this->printed] ?? 'nothing this time';
    }

    public function pairs(): int
    {
        $pairs = 0;
        for ($at = 1; $at < strlen($this->printed); $at++) {
            if ($this->printed[$at] === $this->printed[$at - 1]) {
                $pairs++;
            }
        }
        return $pairs;
    }
}
