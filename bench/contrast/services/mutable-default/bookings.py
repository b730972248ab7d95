class Booking:
    def __init__(self, name):
        self.name = name
        self.lines = []

    def add(self, extra, price):
        self.lines.append((extra, price))

    def extras(self):
        return len(self.lines)

    def total(self):
        total = 0
        for _extra, price in self.lines:
            total += price
        return total
