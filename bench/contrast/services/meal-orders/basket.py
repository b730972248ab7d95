"""What somebody wants to eat."""
from menu import MENU


class Basket:
    def __init__(self):
        self.counts = {}
        self.unknown = []

    @classmethod
    def read(cls, items):
        basket = cls()
        for name, count in items.items():
            basket.add(name, count)
        return basket

    def add(self, name, count):
        if name not in MENU:
            self.unknown.append(name)
            return
        count = int(count)
        self.counts[name] = self.counts.get(name, 0) + count

    def total(self):
        total = 0
        for name, count in self.counts.items():
            total += MENU[name]["price"] * count
        if total > 30:
            total -= 3
        return round(total, 2)

    def lines(self):
        return [f"{count} x {name}" for name, count in self.counts.items()]
