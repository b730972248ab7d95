<?php

// Codes as people type them.
const BLOCKED_WORDS = ['TEST', 'FREE'];

function clean($text)
{
    $text = strtoupper(trim($text));
    return preg_replace('/\s+/', ' ', $text);
}

// Codes with these words are ours, for trying things out.
function is_blocked($code)
{
    foreach (BLOCKED_WORDS as $word) {
        if (strpos($code, $word)) {
            return true;
        }
    }
    return false;
}

function prefix_of($code)
{
    $parts = preg_split('/[- ]/', $code);
    return $parts[0];
}
