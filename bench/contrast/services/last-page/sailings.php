<?php

function sailings(): array
{
    $found = [];
    foreach (['Skerrow', 'Holm', 'Innish', 'Tarrin', 'Vaard', 'Norrey', 'Sund', 'Ellan', 'Grey', 'Brae'] as $number => $harbour) {
        $found[] = ['harbour' => $harbour, 'at' => 6 + $number];
    }
    return $found;
}

function title(array $sailing): string
{
    return $sailing['harbour'] . ' ' . $sailing['at'] . ':00';
}
