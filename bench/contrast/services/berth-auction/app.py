"""Berths for the season go to whoever bids most."""
from bidding import Auction, Bid
from report import protocol


def handle(path, body):
    if path != "/auction":
        return {"error": "no such page"}
    bids = []
    for who, amount in body["bids"]:
        if amount <= 0:
            return {"error": f"{who} bids nothing"}
        bids.append(Bid(who, amount))
    auction = Auction(body.get("reserve", 0))
    result = auction.run(bids)
    return {
        "winner": result.who,
        "price": result.amount + (12 if body.get("fee") else 0),
        "protocol": protocol(bids, result),
    }
