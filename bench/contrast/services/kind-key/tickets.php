<?php

function question_for(array $vehicle)
{
    $question = ['kind' => $vehicle['kind']];
    if (isset($vehicle['length'])) {
        $question['length'] = $vehicle['length'];
    }
    if (isset($vehicle['trailer'])) {
        $question['trailor'] = $vehicle['trailer'];
    }
    return $question;
}

function ticket(array $vehicle, array $lane)
{
    $text = strtoupper($vehicle['kind']) . '/' . $lane['lane'];
    if (!empty($vehicle['trailer'])) {
        $text .= '+T';
    }
    return ['text' => $text, 'price' => $lane['price']];
}
