"""Cards of regular guests: so much is taken off the net sum, before tax."""
CARDS = [
    {"number": "G-5", "name": "gull", "off": 5},
    {"number": "S-10", "name": "seal", "off": 10},
]


def find_card(number):
    if not number:
        return None
    for card in CARDS:
        if card["number"] == number:
            return card
    return None


def take_off(amount, card):
    if card is None:
        return amount
    return max(0, amount - card["off"])
