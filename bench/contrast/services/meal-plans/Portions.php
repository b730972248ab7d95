<?php

/** How much somebody eats. */
class Portions
{
    public static function plate(int $age): array
    {
        $plate = ['size' => 'small', 'share' => 0.6];
        if ($age > 12) {
            $plate = ['size' => 'large', 'share' => 1.0];
        }
        if ($age < 3) {
            $plate = ['size' => 'none', 'share' => 0.0];
        }
        return $plate;
    }
}
