"""A ticket desk: every request goes through a chain of steps."""
from chain import Chain, Refused
from basket import Basket
from rules import check_hour, check_seats, check_who


def price(request):
    basket = Basket(request["seats"], request.get("class", "deck"))
    for name in request.get("extras", []):
        basket.add(name)
    request["basket"] = basket
    return request


def discount(request):
    basket = request["basket"]
    if request["seats"] >= 4:
        basket.reduce(10)
    return request


def receipt(request):
    basket = request["basket"]
    return {
        "who": request["who"].title(),
        "lines": [f"{name} {cents / 100:.2f}" for name, cents in basket.lines],
        "total": basket.total(),
    }


DESK = Chain(check_who, check_seats, check_hour, price, discount, receipt)


def handle(path, body):
    if path != "/desk":
        return {"error": "no such desk"}
    try:
        return DESK.run(dict(body))
    except Refused as refused:
        return {"error": str(refused)}
