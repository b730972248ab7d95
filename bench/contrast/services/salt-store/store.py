"""What lies in the store. An order is due as soon as no more than the least is left."""


class Store:
    HOLDS = 100
    LEAST = 0

    def __init__(self, level, is_cold):
        self.level = level
        self.pace = 10 if is_cold else 5

    def left(self, days):
        return max(0, self.level - self.pace * days)

    def room(self, days):
        return self.HOLDS - self.left(days)

    def must_order(self, days):
        return self.left(days) < self.LEAST
