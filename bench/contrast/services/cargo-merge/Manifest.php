<?php

/** How much there is of everything. */
class Manifest
{
    private array $goods = [];

    public function add(array $load): void
    {
        foreach ($load as $name => $count) {
            if ($count < 1) {
                unset($load[$name]);
            }
        }
        $this->goods = array_merge($this->goods, $load);
        ksort($this->goods);
    }

    public function goods(): array
    {
        return $this->goods;
    }
}
