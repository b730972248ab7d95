<?php

// Messages have room for so much.
const ROOM = 50;
const MORE = '...';

function fitted($greeting, $text)
{
    $room = ROOM - strlen(MORE) - mb_strlen($greeting);
    if (mb_strlen($greeting . $text) <= ROOM) {
        return $greeting . $text;
    }
    $part = substr($text, 0, $room);
    $blank = strrpos($part, ' ');
    if ($blank !== false && $blank > $room / 2) {
        $part = substr($part, 0, $blank);
    }
    return $greeting . $part . MORE;
}
