<?php

/** The till of the kiosk. */
class Till
{
    private bool $isStaff;
    private int $sum = 0;
    private int $deposits = 0;
    private array $lines = [];

    public function __construct(bool $isStaff)
    {
        $this->isStaff = $isStaff;
    }

    public function sell(array $article, int $count): void
    {
        $amount = $article['price'] * $count;
        if ($this->isStaff) {
            $amount = intdiv($amount * 80, 100);
        }
        $this->sum += $amount;
        $this->lines[] = "{$count} {$article['name']}";
    }

    public function deposit(int $amount): void
    {
        $this->deposits += $amount;
    }

    public function close(): array
    {
        return ['lines' => $this->lines, 'sum' => $this->sum, 'deposits' => $this->deposits];
    }
}
