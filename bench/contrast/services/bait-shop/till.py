"""What is paid."""
WEEKEND = ("sat", "sun")
SHARE = 0.1
BAG = 0.2
MANY = 7


class Till:
    def __init__(self, day, is_member):
        self.day = day
        self.is_member = is_member

    def is_weekend(self):
        return self.day in WEEKEND

    def off(self, amount):
        if self.is_member and not self.is_weekend():
            return round(amount * SHARE, 2)
        return 0

    def bag(self, count):
        return BAG if count > MANY else 0
