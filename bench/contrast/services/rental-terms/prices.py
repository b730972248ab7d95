"""Rates a day."""
RATES = {"kayak": 30, "tandem": 45, "board": 20}


def price_of(gear):
    return RATES[gear]
