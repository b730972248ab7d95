"""Seats that lie side by side for a party on one boat."""
from boats import layout, taken_on
from prices import price_of
from seats import block_in, is_window, label


class Refused(Exception):
    def __init__(self, why):
        super().__init__(why)
        self.why = why


def handle(path, body):
    try:
        wanted = read(body)
        return answer(wanted, find(wanted))
    except Refused as refused:
        return {"ok": False, "why": refused.why}


def read(body):
    party = int(body.get("party", 1))
    if party < 1 or party > 6:
        raise Refused("parties are of one to six")
    return {
        "boat": body["boat"],
        "party": party,
        "window": bool(body.get("window")),
        "quiet": bool(body.get("quiet")),
    }


def find(wanted):
    rows = layout(wanted["boat"])
    taken = taken_on(wanted["boat"])
    best = None
    for number, row in enumerate(rows, start=1):
        if wanted["quiet"] and number < 3:
            continue
        block = block_in(row, number, wanted["party"], taken)
        if block is None:
            continue
        if wanted["window"] and not any(is_window(row, seat) for seat in block):
            best = best or (number, block)
            continue
        return number, block
    return best


def answer(wanted, found):
    if found is None:
        return {"ok": False, "why": "no seats side by side"}
    number, block = found
    seats = [label(number, seat) for seat in block]
    return {"ok": True, "seats": seats, "price": price_of(seats, wanted["window"])}
