from extras import collect, price_of
from bookings import Booking


def handle(path, body):
    booking = Booking(body["name"])
    for extra in extras_for(body):
        booking.add(extra, price_of(extra))
    return {"name": booking.name, "extras": booking.extras(), "total": booking.total()}


def extras_for(body):
    wanted = body["wanted"]
    if wanted:
        return collect(wanted, [])
    return collect(["blanket"])
