<?php
function quote(int $number): int
{
    $total = $number * 2;
    return $total;
}
