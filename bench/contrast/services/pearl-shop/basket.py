"""What somebody takes to the till."""
from catalogue import Catalogue


class Basket:
    def __init__(self):
        self.catalogue = Catalogue()
        self.lines = []
        self.count = 0

    def fill(self, names):
        for name in names:
            try:
                price = self.catalogue.price(name)
            except LookupError:
                continue
            self.lines.append((name, price))
            self.count += 1

    def wrap(self):
        self.lines.append(("paper", 2))

    def total(self):
        return sum(price for _name, price in self.lines)

    def receipt(self):
        return ", ".join(f"{name} {price}" for name, price in self.lines)
