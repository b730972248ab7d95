"""Fees for things that are brought back late: life vests, bicycles, blankets."""
from letters import letter
from rules import fee_for


def handle(path, body):
    due, back = int(body["due"]), int(body["back"])
    value = float(body["value"])
    if value <= 0:
        return {"error": "it is worth something"}
    days = max(0, back - due)
    fee = fee_for(days, value)
    if body.get("member"):
        fee = fee * 0.5
    fee = round(min(fee, value), 2)
    return {
        "days": days,
        "fee": fee,
        "letter": letter(days, fee),
        "blocked": is_blocked(days, fee, value),
    }


def is_blocked(days, fee, value):
    if fee == value:
        return True
    return days > 30
