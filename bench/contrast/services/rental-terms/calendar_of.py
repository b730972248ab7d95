"""Days."""
from datetime import timedelta


def days_from(start, count):
    return [start + timedelta(days=n) for n in range(count)]


def is_weekend(day):
    return day.weekday() >= 5
