"""Pilots for large ships."""
from fees import Fees
from ship import Ship


def handle(path, body):
    if path != "/pilot":
        return {"error": "no pilot"}
    given = body.get("ship") or {}
    if not given.get("name"):
        return {"error": "which ship?"}
    ship = Ship(given["name"], given["length"], given["draft"])
    fees = Fees(ship)
    parts = fees.parts(body.get("tug", False))
    return {
        "ship": str(ship),
        "class": ship.size_class(),
        "deep": ship.is_deep(),
        "parts": parts,
        "total": sum(parts.values()),
    }
