"""Ropes cut to length at the chandler's."""
from cutting import Cut
from offer import Offer, line_of


def validated(body):
    pieces = body.get("pieces", [])
    if not pieces:
        raise ValueError("how long?")
    for piece in pieces:
        if piece <= 0 or piece > 50:
            raise ValueError(f"no rope of {piece} m")
    return pieces


def handle(path, body):
    if path != "/ropes":
        return {"error": "unknown"}
    try:
        pieces = validated(body)
    except ValueError as error:
        return {"error": str(error)}
    cut = Cut(pieces, body["kind"])
    offer = Offer(cut.kind, cut.meters(), len(pieces))
    if body.get("spliced"):
        offer.add("splice", 4.5 * len(pieces))
    return {
        "meters": cut.meters(),
        "coils": cut.coils(),
        "lines": [line_of(*each) for each in offer.lines],
        "total": offer.total(),
    }
