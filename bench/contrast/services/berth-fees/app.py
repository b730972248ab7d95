"""Fees of a marina: what a night at the quay costs."""
from extras import extras_of
from members import rebate_of
from widths import factor_of

RATE_PER_METRE = 2.5
SHORTEST = 5


def base_fee(boat, nights):
    length = max(boat["length"], SHORTEST)
    factor = factor_of(boat)
    per_night = length * RATE_PER_METRE * factor
    return per_night * nights


def check(body):
    boat = body.get("boat") or {}
    if not boat.get("name"):
        return "which boat?"
    if body.get("nights", 0) < 1:
        return "how many nights?"
    if boat.get("length", 0) > 24:
        return "too long for our quay"
    return None


def handle(path, body):
    if path != "/fees":
        return {"error": "no such page"}
    trouble = check(body)
    if trouble:
        return {"error": trouble}
    boat, nights = body["boat"], body["nights"]
    fee = base_fee(boat, nights)
    extras = extras_of(body, nights)
    total = fee + sum(extras.values())
    rebate = rebate_of(body.get("member"), total)
    total = round(total - rebate, 2)
    return {
        "boat": boat["name"],
        "fee": round(fee, 2),
        "extras": extras,
        "rebate": rebate,
        "total": total,
    }
