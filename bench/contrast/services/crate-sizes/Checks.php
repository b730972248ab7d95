<?php

/** What must be said of a crate. */
class Checks
{
    public static function problem(array $body): string
    {
        $size = $body['size'] ?? [];
        if (count($size) !== 3) {
            return 'three sizes';
        }
        foreach ($size as $one) {
            if (!is_int($one) || $one < 1) {
                return 'sizes are whole centimeters';
            }
        }
        if (($body['kg'] ?? 0) > 80) {
            return 'too heavy';
        }
        return '';
    }
}
