<?php

require_once __DIR__ . '/Menu.php';
require_once __DIR__ . '/Portions.php';
require_once __DIR__ . '/Kitchen.php';

/** Meals on board: what is cooked for whom. Children under twelve get small plates. */
function handle(string $path, array $body): array
{
    if ($path !== '/meals') {
        return ['error' => 'not found'];
    }
    $people = $body['people'] ?? [];
    if ($people === []) {
        return ['error' => 'for whom?'];
    }
    $menu = Menu::of((int) $body['day']);
    $kitchen = new Kitchen($menu);
    foreach ($people as [$name, $age]) {
        $plate = Portions::plate($age);
        $kitchen->add($name, $plate);
    }
    if (!empty($body['drinks'])) {
        $kitchen->addDrinks(count($people));
    }
    return $kitchen->bill();
}
