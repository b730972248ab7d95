"""What is to be paid each time."""
MONTH = 120
WEEK = 35


def amount(weekly, count):
    if weekly:
        return WEEK * 4
    if count >= 12:
        return MONTH - 15
    return MONTH
