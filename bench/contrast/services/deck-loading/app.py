"""Where a vehicle stands on the boat: decks, lanes, and what may stand beside what."""
from decks import DECKS, by_name
from rules import refuse, surcharges
from vehicles import Vehicle


def handle(path, body):
    boat = body.get("boat", "Kestrel")
    vehicle = Vehicle.read(body["vehicle"])
    decks = sorted(DECKS[boat], key=lambda deck: deck.level)
    candidates = [deck for deck in decks if fits(vehicle, deck)]
    if not candidates:
        return {"placed": False, "why": "no deck for it", "boat": boat}
    chosen = choose(vehicle, candidates)
    reason = refuse(vehicle, chosen)
    if reason is not None:
        return {"placed": False, "why": reason, "boat": boat}
    price = price_for(vehicle, chosen)
    extra = surcharges(vehicle, chosen)
    lane = lane_for(vehicle, chosen)
    return {
        "placed": True,
        "boat": boat,
        "deck": chosen.name,
        "lane": lane,
        "price": price + sum(extra.values()),
        "extra": extra,
    }


def fits(vehicle, deck):
    if vehicle.length > deck.length:
        return False
    roomy = vehicle.height <= deck.height or vehicle.weight <= deck.load
    return roomy


def choose(vehicle, candidates):
    """The fullest of the decks on which it fits, so that room is left on the others."""
    best = candidates[0]
    for deck in candidates[1:]:
        if deck.height - vehicle.height < best.height - vehicle.height:
            best = deck
    return best


def price_for(vehicle, deck):
    base = 18 + 4 * vehicle.length
    if vehicle.kind == "van":
        base += 6
    elif vehicle.kind == "truck":
        base += 25
    return round(base * by_name(deck.name).share, 2)


def lane_for(vehicle, deck):
    width = 2.5 if vehicle.kind == "truck" else 2.2
    lanes = int(deck.width // width)
    wanted = 1 if vehicle.kind == "car" else lanes
    return min(wanted, lanes)
