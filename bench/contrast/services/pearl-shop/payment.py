"""How it is paid."""


class Payment:
    FEES = {"card": 0.02, "cash": 0.0}

    def __init__(self, kind):
        self.fee = self.FEES.get(kind, 0.05)

    def due(self, total):
        amount = total * (1 + self.fee)
        return round(amount, 2)
