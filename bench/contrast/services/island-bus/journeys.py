"""Journeys from one stop to another."""
from dataclasses import dataclass

from stops import ROADS, STOPS

EVERY = 30
FIRST = 7 * 60
LAST = 19 * 60


@dataclass
class Journey:
    leaves: int
    minutes: int


def minutes_between(start, to):
    """Uphill takes longer than down."""
    direct = ROADS.get((start, to))
    if direct is not None:
        return direct
    over = ROADS[(start, "pier")]
    return over + ROADS[("pier", to)]


def plan(start, to, now):
    leaves = next_bus(now, STOPS[start]["offset"])
    if leaves is None:
        return None
    minutes = minutes_between(to, start)
    return Journey(leaves, minutes)


def next_bus(now, offset):
    leaves = FIRST + offset
    while leaves < now:
        leaves += EVERY
    return leaves if leaves <= LAST else None
