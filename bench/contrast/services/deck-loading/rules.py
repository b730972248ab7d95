"""What may not come on a deck, and what costs more there."""


def refuse(vehicle, deck):
    if vehicle.gas and deck.level > 1:
        return "gas on an upper deck"
    if vehicle.height > deck.height:
        return "too high for the deck"
    if vehicle.kind == "truck" and deck.load < 10:
        return "too heavy a kind for the deck"
    return None


def surcharges(vehicle, deck):
    extra = {}
    if vehicle.trailer:
        extra["trailer"] = 9
    if vehicle.height > 3:
        extra["high"] = 7
    if vehicle.weight > deck.load * 0.8:
        extra["heavy"] = 12
    return extra
