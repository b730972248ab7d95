"""What a tour costs."""
EACH = 12
GUIDE = 30


def fee(count, guide):
    total = EACH * count
    if count >= 3:
        total -= 5
    if guide:
        total += GUIDE
    return total
