"""What each boat offers, and what animals cost on it."""
from decks import seat_for
from rules import animal_rule


def handle(path, body):
    boat = body["boat"]
    rule = animal_rule(boat)
    count = animals(body, rule)
    if count > rule["most"]:
        return {"refused": f"at most {rule['most']} animals"}
    fee = 0
    if count > 0:
        fee = rule["fee"] * count
    seat = seat_for(boat, body.get("window", False), count)
    return {"fare": rule["fare"], "animalFee": fee, "seat": seat, "muzzle": count > 0 and rule["muzzle"]}


def animals(body, rule):
    count = body.get("animals", rule["most"])
    if count < 0:
        count = 0
    return count
