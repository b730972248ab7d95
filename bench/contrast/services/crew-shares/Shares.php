<?php

class Shares
{
    public function __construct(private int $sum, private array $crew)
    {
    }

    /** In whole crowns; what is left over goes to the first. */
    public function all(): array
    {
        $each = intdiv($this->sum, count($this->crew));
        $shares = [];
        foreach ($this->crew as $name) {
            $shares[$name] = $each;
        }
        return $shares;
    }
}
