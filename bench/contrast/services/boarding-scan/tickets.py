"""Tickets that were sold."""
SOLD = {
    "T1": ("Ada Quill", "adult"),
    "T2": ("Bo Larch", "adult"),
    "T3": ("Cy Marram", "child"),
    "T4": ("Dot Fell", "adult"),
    "T5": ("Em Sorrel", "senior"),
}


def is_known(ticket):
    return ticket in SOLD


def describe(ticket):
    name, kind = SOLD[ticket]
    return f"{name} ({kind})"
