"""Parcels that go by boat: what they cost, and on which sailing they go."""
from reading import read_weight, read_flag
from rates import band_for, surcharge
from sailings import next_for_freight


def handle(path, body):
    parcel = {
        "weight": read_weight(body.get("weight", "")),
        "to": body.get("to", "Tarrin"),
        "signed": read_flag(body.get("signed")),
        "fragile": read_flag(body.get("fragile")),
    }
    quote = quote_for(parcel)
    sailing = next_for_freight(parcel["to"], parcel["weight"])
    return {
        "price": quote["total"],
        "lines": quote["lines"],
        "sailing": sailing["at"],
        "van": sailing["needs_van"],
    }


def quote_for(parcel):
    band = band_for(parcel["weight"])
    lines = [("carriage", band["price"])]
    if parcel["to"] != "Tarrin":
        lines.append(("crossing", surcharge("crossing", band)))
    if parcel["signed"]:
        lines.append(("signature", surcharge("signature", band)))
    if parcel["fragile"]:
        lines.append(("care", surcharge("care", band)))
    total = 0
    for _name, amount in lines:
        total += amount
    return {"total": round(total, 2), "lines": [name for name, _ in lines]}
