"""Days as year, month and day."""

LENGTHS = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]


def parse(text):
    parts = text.split("-")
    if len(parts) != 3:
        return None
    year, month, day = (int(part) for part in parts)
    if not 1 <= month <= 12:
        return None
    return year, month, day


def add_months(start, count):
    year, month, day = start
    year += (month + count - 1) // 12
    month = (month + count) % 12
    return year, month, min(day, LENGTHS[month - 1])
