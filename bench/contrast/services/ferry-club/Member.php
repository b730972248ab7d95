<?php

/** A member, and how much of a fare is taken off. */
class Member
{
    private const SHARES = ['basic' => 0.0, 'silver' => 0.1, 'gold' => 0.25];
    public string $name;
    public float $share;
    private string $level;

    public function __construct(string $name, string $level)
    {
        $this->name = trim($name);
        $this->level = strtolower($level);
        $this->share = self::SHARES[$this->level] ?? 1.0;
    }

    public function isKnown(): bool
    {
        return $this->name !== '';
    }

    public function greeting(): string
    {
        return $this->level === 'gold' ? "Dear {$this->name}" : "Hello {$this->name}";
    }
}
