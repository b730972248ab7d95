"""Oil for boats, out of four tanks. Each keeps a reserve for the lifeboats."""
from price import Price
from tank import find_tank


def refuse(why, tank):
    return {"error": why, "tank": tank.name if tank else None}


def handle(path, body):
    if path != "/oil":
        return {"error": "no oil here"}
    tank = find_tank(body.get("tank", ""))
    if tank is None:
        return refuse("no such tank", None)
    liters = body.get("liters", 0)
    if liters <= 0:
        return refuse("how much?", tank)
    if not tank.can_give(liters):
        return refuse("the rest is for the lifeboats", tank)
    price = Price(liters, body.get("member", False))
    return {
        "tank": tank.name,
        "left": tank.left_after(liters),
        "sum": price.total(),
        "a_liter": price.per_liter(),
    }
