"""Bait for anglers. Members have a tenth off, at the weekend too."""
from shelf import Shelf
from till import Till


def handle(path, body):
    if path != "/bait":
        return {"error": "no bait"}
    shelf = Shelf()
    kind = body.get("kind")
    if not shelf.knows(kind):
        return {"error": "we have no such bait"}
    till = Till(body.get("day", "mon"), body.get("member", False))
    sum_before = shelf.price(kind) * body.get("count", 1)
    off = till.off(sum_before)
    bag = till.bag(body.get("count", 1))
    return {
        "kind": kind,
        "sum": sum_before,
        "off": off,
        "bag": bag,
        "total": round(sum_before - off + bag, 2),
    }
