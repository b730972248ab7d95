"""Tax on meals."""
RATE = 0.2


def with_tax(amount):
    return amount + amount * RATE
