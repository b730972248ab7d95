"""Tides of the harbours: minutes of the day and metres, high and low in turn."""
TIDES = {
    ("Tarrin", "2026-03-04"): [(100, 4.1), (470, 0.9), (840, 4.3), (1210, 0.8)],
    ("Tarrin", "2026-03-05"): [(140, 4.0), (510, 1.0), (880, 4.2), (1250, 0.9)],
    ("Skerrow", "2026-03-04"): [(60, 3.6), (430, 0.7), (800, 3.7), (1170, 0.6)],
    ("Skerrow", "2026-03-05"): [(95, 3.5), (465, 0.8), (835, 3.6), (1205, 0.7)],
}
DEPTHS = {"Tarrin": 0.4, "Skerrow": 0.9}
DRAUGHT = {"Kestrel": 1.2, "Petrel": 0.6}


def tides_of(port, day):
    return TIDES.get((port, day), [])


def depth_needed(port, boat):
    return round(DEPTHS[port] + DRAUGHT[boat], 2)
