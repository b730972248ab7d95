<?php

// Who travels together.
class Party
{
    public $adults;
    public $children;
    public $dog;

    public function __construct($adults, $children, $dog)
    {
        $this->adults = $adults;
        $this->children = $children;
        $this->dog = $dog;
    }

    public static function read($body)
    {
        $adults = (int) ($body['adults'] ?? 0);
        $children = (int) ($body['children'] ?? 0);
        if ($adults < 1) {
            return null;
        }
        return new Party($adults, $children, (bool) ($body['dog'] ?? false));
    }

    public function size()
    {
        return $this->adults + $this->children;
    }
}
