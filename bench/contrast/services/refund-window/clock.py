"""Times, as the office and its customers write them."""
from datetime import datetime, timedelta, timezone

OFFICE = timezone(timedelta(hours=1))


def parse(text):
    """A time with or without its zone; without one it is the office's."""
    moment = datetime.fromisoformat(text)
    if moment.tzinfo is None:
        moment = moment.replace(tzinfo=OFFICE)
    return moment


def to_office(moment):
    shift = OFFICE.utcoffset(None)
    if moment.utcoffset() == shift:
        return moment
    return moment.astimezone(timezone.utc)


def readable(moment):
    return moment.strftime("%d.%m. %H:%M")
