"""Sailings: which one somebody gets, and what is printed on the ticket."""
from calendar_of_office import Moment, day_name
from prices import Price
from seats import SeatMap
from ticket import Ticket


class Refused(Exception):
    pass


def read(body):
    if body.get("from") not in SeatMap.BOATS:
        raise Refused("from where?")
    moment = Moment.parse(body["at"])
    count = int(body.get("seats", 1))
    if count > 6:
        raise Refused("too many")
    return body["from"], moment, count


def handle(path, body):
    if path != "/sailings":
        return {"error": "not here"}
    try:
        harbour, moment, count = read(body)
    except Refused as refused:
        return {"error": str(refused)}
    seats = SeatMap(harbour).take(count)
    price = Price(harbour).of(count, moment)
    ticket = Ticket(harbour, moment, seats, price)
    answer = ticket.as_dict()
    answer["weekday"] = day_name(moment)
    return answer
