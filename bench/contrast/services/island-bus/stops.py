"""Stops, and how long the bus takes between them."""
STOPS = {
    "pier": {"zone": 1, "offset": 0},
    "church": {"zone": 1, "offset": 6},
    "mill": {"zone": 1, "offset": 11},
    "light": {"zone": 2, "offset": 19},
}
ROADS = {
    ("pier", "church"): 6,
    ("church", "pier"): 6,
    ("pier", "mill"): 11,
    ("mill", "pier"): 11,
    ("pier", "light"): 24,
    ("light", "pier"): 17,
    ("church", "light"): 18,
    ("light", "church"): 12,
    ("mill", "light"): 14,
    ("light", "mill"): 9,
}


def is_known(name):
    return name in STOPS
