"""Orders at the mainland."""


class Order:
    BAG = 25
    EACH = 7.5

    def __init__(self, kilos):
        self.kilos = kilos

    def bags(self):
        return -(-self.kilos // self.BAG)

    def price(self):
        return self.bags() * self.EACH
