"""Lamps for boats."""
from order import Order
from stock import Stock

STOCK = Stock({"deck": 40, "bow": 25})


def handle(path, body):
    if path != "/lamps":
        return {"error": "no lamps"}
    order = Order(body["kind"], body.get("count", 1), body.get("gift", False))
    if not STOCK.has(order.kind, order.count):
        return {"error": "sold out"}
    return {
        "order": order.title(),
        "goods": order.goods(),
        "rebate": order.rebate(),
        "to_pay": order.to_pay(),
    }
