"""Fares of the ferry, with what was reckoned before kept."""
from fares import fare_for
from seats import check_seats, group_rebate


def summary(order, single, total):
    return {
        "route": order["route"],
        "single": single,
        "total": total,
        "return": bool(order.get("return")),
    }


def handle(path, body):
    if path != "/fare":
        return {"error": "no such page"}
    trouble = check_seats(body.get("seats", 0))
    if trouble:
        return {"error": trouble}
    single = fare_for(body["route"], body.get("kind", "adult"), bool(body.get("return")))
    total = single * body["seats"]
    rebate = group_rebate(body["seats"])
    total = round(total * (1 - rebate), 2)
    return summary(body, single, total)
