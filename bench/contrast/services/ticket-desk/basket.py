"""What somebody buys, line by line, in cents."""


class Basket:
    prices = {
        "bike": 450,
        "dog": 300,
        "meal": 12900,
        "wifi": 199,
    }
    seats = {"deck": 1100, "cabin": 2600}

    def __init__(self, count, kind):
        self.lines = [("booking", 250)]
        self.count = count
        self.kind = kind
        self.off = 0

    def add(self, name):
        if name not in self.prices:
            return
        self.lines += [(name, self.prices[name])]

    def reduce(self, percent):
        self.off = percent

    def fares(self):
        each = self.seats[self.kind]
        return each * self.count

    def total(self):
        cents = self.fares()
        for _name, each in self.lines:
            cents += each
        if self.off:
            cents -= cents * self.off // 100
        return cents / 100
