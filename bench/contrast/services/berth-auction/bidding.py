"""Bids, and who wins."""
from dataclasses import dataclass


@dataclass
class Bid:
    who: str
    amount: int


NOBODY = Bid("nobody", 0)


class Auction:
    def __init__(self, reserve):
        self.reserve = reserve

    def run(self, bids):
        best = NOBODY
        for bid in bids:
            if self.is_valid(bid):
                best = Bid(bid.who, bid.amount)
        return self.settle(best)

    def is_valid(self, bid):
        return bid.amount >= self.reserve

    def settle(self, best):
        if best is NOBODY:
            return best
        step = 5
        amount = best.amount - best.amount % step
        return Bid(best.who, amount)
