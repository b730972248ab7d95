BANDS = [(15, "none"), (60, "quarter"), (120, "half")]


def minutes_late(planned, arrived):
    return to_minutes(arrived) - to_minutes(planned)


def to_minutes(text):
    hours, minutes = text.split(":")
    return int(hours) * 60 + int(minutes)


def band(late):
    for most, name in BANDS:
        if late < most:
            return name
    return "full"
