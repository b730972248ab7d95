<?php

function clean($text)
{
    $text = strtolower(trim($text));
    return preg_replace('/\s+/', ' ', $text);
}

function topics()
{
    return ['animals' => ['dog', 'cat'], 'access' => ['wheelchair', 'pram'], 'vehicle' => ['trailer', 'caravan']];
}

function mentions($text, array $words)
{
    foreach ($words as $word) {
        $at = strpos($text, $word);
        if ($at) {
            return true;
        }
    }
    return false;
}
