"""Harbours, and the lines that leave from each."""
HARBOURS = {
    "Skerrow": {"name": "Skerrow", "lines": ["north", "south"]},
    "Innish": {"name": "Innish", "lines": ["north"]},
    "Holm": {"name": "Holm", "lines": ["south"]},
    "Tarrin": {"name": "Tarrin", "lines": ["coast"]},
}


def harbour(name):
    found = HARBOURS.get(name.strip().capitalize())
    if found is None:
        raise LookupError(f"no harbour {name}")
    return found
