<?php

function read_form(array $body)
{
    $form = ['name' => trim($body['name'] ?? ''), 'people' => (int) ($body['people'] ?? 1)];
    foreach (['cabin', 'meals'] as $box) {
        if (array_key_exists($box, $body)) {
            $form[$box] = $body[$box];
        }
    }
    return $form;
}

function problems_of(array $form)
{
    $problems = [];
    if ($form['name'] === '') {
        $problems[] = 'name';
    }
    if ($form['people'] < 1 || $form['people'] > 9) {
        $problems[] = 'people';
    }
    return $problems;
}
