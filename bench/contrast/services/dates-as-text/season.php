<?php
const SEASON_BEGINS = '10.05.2026';
const SEASON_ENDS = '30.08.2026';

function inSeason(string $on): bool
{
    return $on >= SEASON_BEGINS && $on <= SEASON_ENDS;
}
