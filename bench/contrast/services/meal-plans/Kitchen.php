<?php

/** Collects plates, and what they cost. */
class Kitchen
{
    private array $menu;
    private array $plates = [];
    private float $total = 0.0;
    private int $drinks = 0;

    public function __construct(array $menu)
    {
        $this->menu = $menu;
    }

    public function add(string $name, array $plate): void
    {
        $this->plates[] = "$name: {$plate['size']} {$this->menu['dish']}";
        $this->total += $this->menu['price'] * $plate['share'];
    }

    public function addDrinks(int $count): void
    {
        $this->drinks += $count;
        $this->total += 2.5 * $count;
    }

    public function bill(): array
    {
        return [
            'plates' => $this->plates,
            'drinks' => $this->drinks,
            'total' => round($this->total, 2),
        ];
    }
}
