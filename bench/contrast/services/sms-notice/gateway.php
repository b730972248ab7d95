<?php

// The gateway takes text in UTF-8, 20 letters at a time.
function send_message($message)
{
    $ok = mb_check_encoding($message, 'UTF-8');
    $letters = mb_strlen($message);
    $parts = (int) ceil($letters / 20);
    return ['ok' => $ok, 'parts' => max(1, $parts)];
}
