<?php

function ask_lanes(array $question, $traceparent)
{
    $header = "Content-Type: application/json\r\n";
    if ($traceparent !== null) {
        $header .= "traceparent: $traceparent\r\n";
    }
    $context = stream_context_create(['http' => [
        'method' => 'POST', 'header' => $header, 'content' => json_encode($question), 'ignore_errors' => true,
    ]]);
    return json_decode(file_get_contents(getenv('PARTNER_URL') . '/lanes', false, $context), true);
}
