"""Prices of a day, with what the club gives."""
from club import Club
from tariff import Tariff


def handle(path, body):
    if path != "/prices":
        return {"error": "not here"}
    tariff = Tariff.of(body["trip"])
    if tariff is None:
        return {"error": f"no trips to {body['trip']}"}
    price = tariff.on(body["day"])
    if body.get("club"):
        club = Club(body.get("guests", 0))
        price = tariff.reduced(price, club.rate(), club.guests)
    return {"trip": tariff.name, "price": round(price, 2), "class": tariff.kind(price)}
