"""How the boats are laid out, and what is sold on the next sailing."""

LAYOUTS = {
    "Kestrel": ["ABCD", "ABCD", "ABCD", "ABCD"],
    "Petrel": ["ABC", "ABC"],
}
SOLD = {
    "Kestrel": ["1A", "2D"],
    "Petrel": [],
}


def layout(boat):
    return LAYOUTS[boat]


def taken_on(boat):
    return set(SOLD.get(boat, []))
