"""What oil costs."""
LITER = 1.4
MEMBERS = 0.05
LARGE = 250


class Price:
    def __init__(self, liters, is_member):
        self.liters = liters
        self.is_member = is_member

    def per_liter(self):
        price = LITER
        if self.is_member:
            price -= MEMBERS
        if self.liters >= LARGE:
            price -= 0.1
        return round(price, 3)

    def total(self):
        return round(self.per_liter() * self.liters, 2)
