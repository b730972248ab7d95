"""Bills of the cafe on board."""
from cards import find_card, take_off
from items import lines_of, sum_of
from tax import with_tax


def handle(path, body):
    if path != "/bill":
        return {"error": "no bill"}
    items = body.get("items") or []
    if not items:
        return {"error": "nothing was ordered"}
    lines = lines_of(items)
    total = sum_of(lines)
    card = find_card(body.get("card"))
    total = take_off(with_tax(total), card)
    return {
        "lines": [f"{count} {name}" for name, count, _amount in lines],
        "net": sum_of(lines),
        "total": round(total, 2),
        "card": card["name"] if card else None,
    }
