<?php

// A receipt in words.
function receipt($litres, $total)
{
    $text = "$litres l of water: " . number_format($total, 2);
    if ($total > 10) {
        $text .= ' (please sign)';
    }
    return $text;
}
