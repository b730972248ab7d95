<?php
const LENGTHS = ['car' => 5, 'trailer' => 8, 'bicycle' => 2];

function rowsOf(array $pieces): array
{
    $rows = [];
    foreach ($pieces as $piece) {
        $rows[] = ['title' => $piece, 'length' => LENGTHS[$piece]];
    }
    return $rows;
}

function numbered(array $rows): array
{
    foreach ($rows as &$row) {
        $row['title'] = ucfirst($row['title']);
    }
    $found = [];
    foreach ($rows as $row) {
        $found[] = $row;
    }
    return $found;
}
