"""The cranes of the dock."""
CRANES = [
    {"name": "north", "pace": 1.0, "class": "a"},
    {"name": "middle", "pace": 1.5, "class": "b"},
    {"name": "south", "pace": 2.0, "class": "b"},
]


def crane_of(number):
    return CRANES[number]


def free_crane(hour):
    if hour < 10:
        return CRANES[0]
    return CRANES[1] if hour < 16 else CRANES[2]
