"""Meals that are ordered before a crossing."""
from basket import Basket
from kitchen import ready_at, stock_after


def handle(path, body):
    basket = Basket.read(body.get("items", {}))
    if basket.unknown:
        return {"ok": False, "why": "not on the menu: " + ", ".join(basket.unknown)}
    total = basket.total()
    people = max(1, int(body.get("people", 1)))
    answer = {
        "ok": True,
        "total": total,
        "each": round(total / people, 2),
        "lines": basket.lines(),
    }
    if basket.counts:
        answer["ready"] = ready_at(basket.counts)
        answer["left"] = stock_after(basket.counts)
    return answer
