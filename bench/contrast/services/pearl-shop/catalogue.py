"""What there is to buy."""


class Catalogue:
    PRICES = {"ring": 40, "chain": 65, "pin": 12}

    def price(self, name):
        key = name.strip().lower()
        if key not in self.PRICES:
            raise LookupError(f"no {name}")
        return self.PRICES[key]
