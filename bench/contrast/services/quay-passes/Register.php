<?php

/** Those who have a pass, the oldest first. */
class Register
{
    private array $rows = [
        ['code' => '0e15', 'name' => 'Harbour master', 'level' => 9],
        ['code' => 'k7', 'name' => 'Kari', 'level' => 1],
        ['code' => 'm2', 'name' => 'Mats', 'level' => 2],
        ['code' => 's1', 'name' => 'Siri', 'level' => 3],
        ['code' => '0e12', 'name' => 'Even', 'level' => 1],
        ['code' => '0e99', 'name' => 'Edda', 'level' => 0],
    ];

    public function find(string $code): ?array
    {
        $found = null;
        foreach ($this->rows as $row) {
            if ($row['code'] == $code) {
                $found = $row;
                break;
            }
        }
        return $found;
    }
}
