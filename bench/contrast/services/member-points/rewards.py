"""What points are taken for."""
OFFERS = [
    {"name": "coffee", "points": 50, "levels": ("blue", "silver", "gold")},
    {"name": "single", "points": 400, "levels": ("silver", "gold")},
    {"name": "cabin", "points": 900, "levels": ("gold",)},
]


def within(balance, level):
    return [offer for offer in OFFERS if offer["points"] <= balance and level in offer["levels"]]


def expiring(member, balance):
    if balance > member["lifetime"]:
        return "more than was ever earned"
    return None
