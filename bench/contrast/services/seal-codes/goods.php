<?php
const FEES = ['tea' => 2, 'salt' => 3, 'oil' => 6];

function fee_for(string $goods): int
{
    return FEES[$goods] ?? 4;
}
