"""What is given back for a ticket that is handed in before its sailing."""
from bookings import find
from clock import parse, to_office
from fees import FEES, fee_named


def handle(path, body):
    booking = find(body["ticket"])
    if booking is None:
        return {"refund": 0, "why": "no such ticket"}
    asked = parse(body["asked"])
    left = hours_left(booking, asked)
    if left < 0:
        return {"refund": 0, "why": "the boat has sailed"}
    rule = rule_for(left, booking["fare"])
    refund = amount(booking, rule)
    lines = statement(booking, rule, refund)
    return {"refund": refund, "rule": rule["name"], "lines": lines}


def hours_left(booking, asked):
    sails = parse(booking["sails"])
    now = to_office(asked)
    difference = sails.replace(tzinfo=None) - now.replace(tzinfo=None)
    return difference.total_seconds() / 3600


def rule_for(left, fare):
    for rule in FEES:
        if fare in rule["fares"] and left >= rule["hours"]:
            return rule
    return fee_named("none")


def amount(booking, rule):
    paid = sum(line["price"] for line in booking["lines"])
    kept = max(rule["least"], paid * rule["share"])
    return round(max(0, paid - kept), 2)


def statement(booking, rule, refund):
    lines = []
    for line in booking["lines"]:
        share = refund * line["price"] / sum(each["price"] for each in booking["lines"])
        lines.append({"what": line["what"], "back": round(share, 2)})
    if rule["least"] > 0:
        lines.append({"what": "fee", "back": -rule["least"]})
    return lines
