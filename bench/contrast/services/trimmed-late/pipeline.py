"""Runs the steps of a booking one after the other."""


class Refused(Exception):
    pass


def run(steps, booking):
    for step in steps:
        try:
            result = step(booking)
        except Refused as error:
            booking["notes"].append(str(error))
            booking["total"] = 0
            return booking
        if result is not None:
            booking = result
    return booking
