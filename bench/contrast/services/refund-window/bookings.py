"""Tickets that have been sold."""
BOOKINGS = {
    "T1": {
        "fare": "full",
        "sails": "2026-07-10T12:00:00",
        "lines": [{"what": "adult", "price": 24}, {"what": "car", "price": 38}],
    },
    "T2": {
        "fare": "saver",
        "sails": "2026-07-12T08:30:00",
        "lines": [{"what": "adult", "price": 16}, {"what": "child", "price": 8}],
    },
    "T3": {"fare": "full", "sails": "2026-07-10T18:00:00", "lines": [{"what": "bicycle", "price": 9}]},
}


def find(ticket):
    return BOOKINGS.get(ticket)
