"""The level of the water between two tides."""
import math


def level_at(tides, minute):
    before = tides[0]
    for after in tides[1:]:
        if minute <= after[0]:
            return between(before, after, minute)
        before = after
    return before[1]


def between(before, after, minute):
    if minute <= before[0]:
        return before[1]
    part = (minute - before[0]) / (after[0] - before[0])
    middle = (before[1] + after[1]) / 2
    swing = (before[1] - after[1]) / 2
    return middle + swing * math.cos(math.pi * part)
