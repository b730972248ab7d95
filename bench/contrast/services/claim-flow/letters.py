"""What people are told."""
TEXTS = {
    "open": "We look into it.",
    "decided": "We have decided.",
    "refused": "We are sorry.",
    "closed": "This claim is closed.",
}


def letter_for(name):
    return TEXTS.get(name, "We have your letter.")
