"""Seats and groups."""
MOST = 12
GROUP = 6


def check_seats(seats):
    if seats < 1:
        return "how many seats?"
    if seats > MOST:
        return "too many seats"
    return None


def group_rebate(seats):
    return 0.1 if seats >= GROUP else 0
