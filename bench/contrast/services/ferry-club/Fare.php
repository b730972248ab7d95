<?php

/** What trips cost a member. */
class Fare
{
    private const EACH = 18.0;
    private Member $member;
    private bool $isFamily;

    public function __construct(Member $member, bool $isFamily)
    {
        $this->member = $member;
        $this->isFamily = $isFamily;
    }

    public function total(int $trips): float
    {
        $each = self::EACH * (1 - $this->member->share);
        $total = $each * $trips;
        if ($this->isFamily) {
            $total *= 0.9;
        }
        return round($total, 2);
    }
}
