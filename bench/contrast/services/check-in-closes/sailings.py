from datetime import datetime

SAILINGS = {
    "K1": {"leaves": datetime(2026, 7, 1, 10, 0), "international": False},
    "K2": {"leaves": datetime(2026, 7, 1, 14, 30), "international": False},
    "P9": {"leaves": datetime(2026, 7, 1, 18, 0), "international": True},
}


def kind_of(vehicle):
    if vehicle is None:
        return "foot"
    if vehicle in ("car", "van"):
        return "vehicle"
    return "freight"
