"""What it costs."""
EACH = {"mooring": 3.2, "tow": 5.4}
CUT = 0.5


def line_of(name, amount):
    return f"{name:<10}{amount:8.2f}"


class Offer:
    def __init__(self, kind, meters, cuts):
        self.lines = [(kind, EACH[kind] * meters), ("cuts", CUT * cuts)]

    def add(self, name, amount):
        self.lines.append((name, amount))

    def total(self):
        return round(sum(amount for _name, amount in self.lines), 2)
