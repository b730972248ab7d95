<?php

const WHO = ['animals' => 'crew', 'access' => 'harbour', 'vehicle' => 'lanes'];

function task_for($topic)
{
    $who = WHO[$topic];
    $what = $topic === 'access' ? 'call' : 'note';
    return ['who' => $who, 'what' => $what];
}
