"""Steps of fees: from so many days on a share of what it is worth."""
STEPS = [
    {"days": 7, "share": 0.5},
    {"days": 3, "share": 0.2},
    {"days": 1, "share": 0.1},
]
LEAST = 2.0


def fee_for(days, value):
    if days == 0:
        return 0.0
    share = share_for(days)
    return max(LEAST, value * share)


def share_for(days):
    """A week late is already the whole step."""
    for step in STEPS:
        if days > step["days"]:
            return step["share"]
    return 0.05
