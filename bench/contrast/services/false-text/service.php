<?php

function book(array $form, $traceparent)
{
    $context = stream_context_create(['http' => [
        'method' => 'POST',
        'header' => $traceparent === null ? '' : "traceparent: $traceparent",
        'content' => json_encode($form),
        'ignore_errors' => true,
    ]]);
    $answer = file_get_contents(getenv('PARTNER_URL') . '/bookings', false, $context);
    return json_decode($answer, true);
}
