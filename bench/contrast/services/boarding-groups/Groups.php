<?php

/** People by zone: the last zone boards first. */
class Groups
{
    public static function of(array $people): array
    {
        $groups = [];
        $zone = $people[0]['zone'] ?? 1;
        foreach ($people as $person) {
            $name = ucfirst($person['name']);
            $groups[$zone][] = $name;
        }
        krsort($groups);
        return $groups;
    }
}
