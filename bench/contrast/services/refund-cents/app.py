"""Vouchers that are given for late boats."""
from amounts import compensation, rounded
from delays import band, minutes_late


def handle(path, body):
    late = minutes_late(body["planned"], body["arrived"])
    if late <= 0:
        return {"voucher": 0, "why": "on time"}
    level = band(late)
    paid = body.get("paid", 20)
    amount = compensation(paid, level)
    if body.get("member"):
        amount += 1
    value = rounded(amount)
    return {"voucher": value, "level": level, "late": late}
