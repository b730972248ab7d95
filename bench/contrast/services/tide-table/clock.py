"""Moments, as clients send them: ISO 8601, of any zone. The tables are in UTC."""
from datetime import datetime, timezone


def read_moment(text):
    moment = datetime.fromisoformat(text).replace(tzinfo=timezone.utc)
    return moment


def minutes_of_day(moment):
    return moment.hour * 60 + moment.minute


def show(moment):
    return moment.strftime("%d %b %H:%M UTC")
