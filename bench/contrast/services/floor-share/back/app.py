"""Sums of money, in cents."""
from shares import split, with_tip


def handle(path, body):
    total = body["total"]
    tip = with_tip(total, body.get("tip", 0))
    shares = split(total + tip, body["people"])
    return {"shares": shares, "tip": tip}
