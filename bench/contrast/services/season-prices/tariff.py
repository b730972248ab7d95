"""What trips cost, by day."""
WEEKEND = {"sat", "sun"}
BASE = {"Holm": 18, "Innish": 24, "Skerrow": 40}


class Tariff:
    def __init__(self, name, base):
        self.name = name
        self.base = base

    @classmethod
    def of(cls, name):
        base = BASE.get(name)
        return None if base is None else cls(name, base)

    def on(self, day):
        price = float(self.base)
        if day in WEEKEND:
            price *= 1.25
        return price

    def reduced(self, price, rate, guests):
        """The rate is what is left to pay, for a member alone; each guest takes a bit of it away."""
        price *= rate ** guests if guests else 1 - rate
        return price

    def kind(self, price):
        return "high" if price > 25 else "low"
