"""The steps."""
from codes import CODES
from pipeline import Refused

PRICES = {"Skerrow-Holm": 12, "Skerrow-Innish": 15, "Tarrin-Holm": 9}


def trim(booking):
    booking["names"] = [name.strip() for name in booking["names"]]
    booking["code"] = booking["code"].strip().upper()
    return booking


def count_heads(booking):
    booking["heads"] = len(booking["names"])
    if booking["heads"] == 0:
        raise Refused("nobody travels")
    if booking["heads"] > 9:
        raise Refused("groups are booked at the desk")


def check_names(booking):
    for name in booking["names"]:
        if any(letter.isdigit() for letter in name):
            raise Refused(f"no name: {name}")
        if len(name) < 2:
            booking["notes"].append(f"short name: {name}")


def apply_codes(booking):
    code = booking["code"]
    entry = CODES.get(code)
    if entry is None:
        booking["share"] = 1.0
        return
    if entry["least"] > booking["heads"]:
        booking["notes"].append(f"{code} is for {entry['least']} and more")
        booking["share"] = 1.0
        return
    booking["share"] = entry["share"]
    booking["saved"] = round((1 - entry["share"]) * 100)


def price(booking):
    each = PRICES[booking["route"]]
    total = each * booking["heads"] * booking["share"]
    booking["total"] = round(total, 2)
