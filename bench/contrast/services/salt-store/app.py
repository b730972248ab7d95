"""Salt for icy decks: when to order."""
from orders import Order
from store import Store


def handle(path, body):
    if path != "/salt":
        return {"error": "not found"}
    store = Store(body["level"], body.get("cold", False))
    days = body["days"]
    left = store.left(days)
    answer = {"left": left, "order": store.must_order(days)}
    if answer["order"]:
        order = Order(store.room(days))
        answer["bags"] = order.bags()
        answer["price"] = order.price()
    return answer
