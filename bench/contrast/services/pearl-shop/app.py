"""The shop on board."""
from basket import Basket
from payment import Payment


def handle(path, body):
    if path != "/shop":
        return {"error": "not found"}
    basket = Basket()
    basket.fill(body["items"])
    if body.get("gift"):
        basket.wrap()
    payment = Payment(body.get("pay", "cash"))
    return {"count": basket.count, "total": payment.due(basket.total()), "receipt": basket.receipt()}
