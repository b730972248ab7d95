"""Quotes: what a trip between two islands costs."""

from dataclasses import dataclass, field
from decimal import ROUND_HALF_UP, Decimal

from tables import read_discounts, read_extras, read_fares

FARES = read_fares()
DISCOUNTS = read_discounts()
EXTRAS = read_extras()

ISLANDS = ("Skerrow", "Innish", "Tarrin", "Holm")
PASSENGERS = ("adult", "child", "senior")
VEHICLES = ("bicycle", "motorcycle", "car", "van")
MOTORS = ("motorcycle", "car", "van")
GROUP_SIZE = 8
CENT = Decimal("0.01")


class BadRequest(ValueError):
    """The request does not describe a trip."""


@dataclass
class Trip:
    start: str
    end: str
    season: str = "middle"
    passengers: list = field(default_factory=list)
    vehicle: str = ""
    back: bool = False


@dataclass
class Line:
    """One line of a quote."""

    text: str
    amount: Decimal


def read_trip(body):
    """The trip that a request's JSON describes. Raises BadRequest."""
    start, end = body.get("from"), body.get("to")
    if start not in ISLANDS or end not in ISLANDS or start == end:
        raise BadRequest("from and to must be two of %s" % ", ".join(ISLANDS))
    passengers = body.get("passengers") or {}
    counted = []
    for kind, number in passengers.items():
        if kind not in PASSENGERS:
            raise BadRequest("there is no fare for a passenger called %r" % kind)
        counted += [kind] * int(number)
    if not counted:
        raise BadRequest("a trip needs a passenger")
    vehicle = body.get("vehicle") or ""
    if vehicle and vehicle not in VEHICLES:
        raise BadRequest("there is no fare for a vehicle called %r" % vehicle)
    season = body.get("season", "middle")
    return Trip(start, end, season, counted, vehicle, bool(body.get("return")))


def quote(trip):
    """The lines of a quote and their total."""
    lines = []
    for kind in trip.passengers:
        lines += passenger_lines(trip, kind)
    if trip.vehicle:
        lines += vehicle_lines(trip)
    lines += extra_lines(trip)
    total = sum((line.amount for line in lines), Decimal(0))
    if len(trip.passengers) >= GROUP_SIZE:
        off = total * DISCOUNTS["group"]
        lines.append(Line("group discount", -off))
        total -= off
    return lines, rounded(total)


def passenger_lines(trip, kind):
    single = single_fare(trip, kind)
    lines = [Line("%s, out" % kind, single)]
    if trip.back:
        discount = return_discount(kind)
        leg = single * (1 - discount)
        lines.append(Line("%s, back" % kind, leg))
    return lines


def return_discount(kind):
    name = "return-%s" % kind
    return DISCOUNTS.get(name, DISCOUNTS["return"])


def vehicle_lines(trip):
    single = single_fare(trip, trip.vehicle)
    lines = [Line("%s, out" % trip.vehicle, single)]
    if trip.back:
        lines.append(Line("%s, back" % trip.vehicle, single))
    return lines


def extra_lines(trip):
    extras = EXTRAS[trip.season]
    if trip.vehicle in MOTORS:
        extras.append(("ramp", Decimal("0.60")))
    travellers = len(trip.passengers)
    return [Line(name, amount * travellers) for name, amount in extras]


def single_fare(trip, kind):
    return FARES[trip.start, trip.end, trip.season, kind]


def rounded(amount):
    return amount.quantize(CENT, rounding=ROUND_HALF_UP)
