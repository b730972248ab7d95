"""What seats cost when they are picked."""
EACH = 3
WINDOW = 2


def price_of(seats, window):
    total = EACH * len(seats)
    if window:
        total += WINDOW
    return total
