"""Kayaks are rented by the day, against a deposit."""
from datetime import date

from calendar_of import is_weekend, days_from
from deposits import deposit_for
from prices import price_of


def charge(gear, start, days):
    amount = 0
    for day in days_from(start, days):
        rate = price_of(gear)
        if is_weekend(day):
            rate = rate * 1.25
        amount += rate
    if days >= 7:
        amount = amount * 0.8
    return round(amount, 2)


def slip(gear, amount, deposit):
    lines = [f"{gear}: {amount:.2f}"]
    if deposit:
        lines.append(f"deposit: {deposit:.2f}")
    lines.append(f"to pay: {amount + deposit:.2f}")
    return lines


def handle(path, body):
    if path != "/rent":
        return {"error": "not here"}
    gear = body.get("gear")
    days = body.get("days", 1)
    start = date.fromisoformat(body["from"])
    amount = charge(gear, start, days)
    if "deposit" in body:
        deposit = deposit_for(gear, body["deposit"])
    else:
        deposit = deposit_for(gear)
    return {"slip": slip(gear, amount, deposit), "amount": amount, "deposit": deposit}
