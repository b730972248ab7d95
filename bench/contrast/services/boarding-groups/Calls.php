<?php

/** What is called out. */
class Calls
{
    public static function texts(array $groups, bool $hasPram): array
    {
        $texts = [];
        if ($hasPram) {
            $texts[] = 'prams first';
        }
        foreach ($groups as $zone => $names) {
            $count = count($names);
            $texts[] = "zone $zone: $count";
        }
        return $texts;
    }
}
