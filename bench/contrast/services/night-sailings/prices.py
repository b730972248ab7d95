"""What a sailing costs."""
BASE = {"Tarrin": 20, "Holm": 14}


class Price:
    def __init__(self, harbour):
        self.base = BASE[harbour]

    def of(self, count, moment):
        total = self.base * count
        if moment.hour < 6:
            total += 5
        elif moment.hour >= 20:
            total += 3
        if count >= 3:
            total = round(total * 0.9, 2)
        return total
