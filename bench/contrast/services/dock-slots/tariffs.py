"""What a slot costs: by begun half hours."""
from datetime import timedelta

HALF = timedelta(minutes=30)
EACH = {"a": 40, "b": 55}


def fee(stay, kind):
    count = -(-stay // HALF)
    total = EACH[kind] * count
    if count > 6:
        total = round(total * 0.9)
    return total
