"""An order of lamps."""
from prices import PRICES, REBATES, WRAPPING


class Order:
    def __init__(self, kind, count, is_gift):
        self.kind = kind
        self.count = count
        self.is_gift = is_gift

    def title(self):
        return "%d x %s%s" % (self.count, self.kind, " (gift)" if self.is_gift else "")

    def goods(self):
        return PRICES[self.kind] * self.count

    def rebate(self):
        for least, share in REBATES:
            if self.count >= least:
                return round(self.goods() * share, 2)
        return 0

    def wrapping(self):
        return WRAPPING * self.count

    def to_pay(self):
        if self.is_gift and self.count >= 10:
            return self.goods() - self.rebate() - self.wrapping()
        if self.is_gift:
            return self.goods() - self.rebate() + self.wrapping()
        return self.goods() - self.rebate()
