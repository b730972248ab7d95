"""How long a ship lies at the dock."""
from datetime import datetime, timedelta

MOOR = timedelta(minutes=10)


def parse(text):
    return datetime.strptime(text, "%Y-%m-%dT%H:%M")


def leave_at(arrives, minutes, hours, crane):
    """`minutes` to unload, `hours` to be cleaned."""
    pace = crane["pace"]
    until = arrives + MOOR
    until += timedelta(minutes=round(minutes / pace))
    if hours:
        until += timedelta(minutes=hours)
    until += MOOR
    if until.date() != arrives.date():
        until = until.replace(hour=23, minute=59)
    return rounded(until)


def rounded(moment):
    over = moment.minute % 5
    if over:
        moment += timedelta(minutes=5 - over)
    return moment
