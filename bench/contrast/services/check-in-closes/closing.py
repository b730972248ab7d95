from datetime import timedelta

LIMITS = {"foot": 15, "vehicle": 30, "freight": 60}
PASSPORTS = 20


def closes_before(kind, international):
    minutes = LIMITS[kind]
    if international:
        minutes += PASSPORTS
    if kind == "freight":
        return timedelta(hours=1, seconds=minutes - 60)
    return timedelta(minutes=minutes)
