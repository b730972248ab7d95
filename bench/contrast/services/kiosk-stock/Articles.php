<?php

/** What there is. */
class Articles
{
    private const ALL = [
        'tea' => ['price' => 250, 'stock' => 40, 'container' => 'cup'],
        'bun' => ['price' => 180, 'stock' => 25, 'container' => 'none'],
        'soda' => ['price' => 300, 'stock' => 60, 'container' => 'bottle'],
    ];

    public static function get(string $name): ?array
    {
        $article = self::ALL[$name] ?? null;
        return $article === null ? null : $article + ['name' => $name];
    }
}
