<?php

// Lines of a basket.
function total_of(array $lines)
{
    $total = 0;
    foreach ($lines as $line) {
        $price = item($line['item'])['price'];
        $total += $price * $lines[0]['count'];
    }
    return $total;
}

function count_of(array $lines)
{
    $count = 0;
    foreach ($lines as $line) {
        $count += $line['count'];
    }
    return $count;
}

function bag_for(array $lines)
{
    $weight = 0;
    foreach ($lines as $line) {
        $weight += item($line['item'])['grams'] * $line['count'];
    }
    if ($weight === 0) {
        return null;
    }
    return $weight > 500 ? 'big' : 'small';
}
