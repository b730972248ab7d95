"""What the office keeps, by the time that is left."""
FEES = [
    {"name": "free", "hours": 48, "share": 0.0, "least": 0, "fares": {"full", "saver"}},
    {"name": "tenth", "hours": 24, "share": 0.1, "least": 3, "fares": {"full", "saver"}},
    {"name": "half", "hours": 4, "share": 0.5, "least": 5, "fares": {"full"}},
    {"name": "none", "hours": 0, "share": 1.0, "least": 0, "fares": {"full", "saver"}},
]


def fee_named(name):
    for rule in FEES:
        if rule["name"] == name:
            return rule
    raise LookupError(name)
