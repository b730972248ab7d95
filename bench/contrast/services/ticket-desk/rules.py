"""What a request must have before anything is sold."""
from chain import Refused

MOST = 9


def check_who(request):
    name = request.get("who", "").strip()
    if not name:
        raise Refused("who travels?")
    request["who"] = name
    return request


def check_seats(request):
    seats = request.get("seats", 1)
    if not isinstance(seats, int) or not 1 <= seats <= MOST:
        raise Refused(f"between 1 and {MOST} seats")
    request["seats"] = seats
    return request


def check_hour(request):
    hour = request.get("hour", 12)
    if hour >= 23 or hour < 5:
        raise Refused("the desk is closed")
    return request
