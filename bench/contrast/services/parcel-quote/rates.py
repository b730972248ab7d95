"""Bands of weight, and what is added to them."""
BANDS = [
    {"name": "letter", "up_to": 1, "price": 2.2},
    {"name": "small", "up_to": 5, "price": 4.5},
    {"name": "medium", "up_to": 10, "price": 7.9},
    {"name": "large", "up_to": 25, "price": 13.4},
]
ADDED = {"crossing": 0.2, "signature": 0.1, "care": 0.35}


def band_for(weight):
    for band in BANDS:
        if weight <= band["up_to"]:
            return band
    raise LookupError("too heavy for a parcel")


def surcharge(kind, band):
    share = ADDED[kind]
    return max(0.5, band["price"] * share)
