"""Points that members collect, and what they may take for them."""
from ledger import earned, balance_after
from members import find, level_of
from rewards import within, expiring


def handle(path, body):
    member = find(body["member"])
    if member is None:
        return {"ok": False, "why": "no such member"}
    fares = [float(fare) for fare in body.get("fares", [])]
    level = level_of(member)
    points = earned(fares, level)
    balance = balance_after(member, points)
    offers = within(balance, level)
    return {
        "ok": True,
        "earned": points,
        "balance": balance,
        "offers": [offer["name"] for offer in offers],
        "warning": expiring(member, balance),
    }
