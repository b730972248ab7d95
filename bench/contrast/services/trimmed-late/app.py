"""Bookings by telephone: what was typed is put in order, checked and priced, step by step."""
from pipeline import run
from steps import apply_codes, check_names, count_heads, price, trim

STEPS = [count_heads, check_names, apply_codes, trim, price]


def handle(path, body):
    booking = {
        "names": list(body.get("names", [])),
        "code": body.get("code", ""),
        "route": body.get("route", "Skerrow-Holm"),
        "notes": [],
    }
    booking = run(STEPS, booking)
    return {
        "total": booking["total"],
        "heads": booking["heads"],
        "notes": booking["notes"],
        "saved": booking.get("saved", 0),
        "names": booking["names"],
    }
