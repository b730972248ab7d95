"""Moments as the office has them: days are those of the harbour's own clock."""
from dataclasses import dataclass
from datetime import datetime, timezone

NAMES = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]


@dataclass
class Moment:
    day: str
    hour: int
    weekday: int

    @classmethod
    def parse(cls, text):
        moment = datetime.fromisoformat(text)
        local = moment.astimezone(timezone.utc)
        return cls(local.strftime("%Y-%m-%d"), moment.hour, local.weekday())


def day_name(moment):
    return NAMES[moment.weekday]
