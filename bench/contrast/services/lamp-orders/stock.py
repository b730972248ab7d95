"""What is in stock."""


class Stock:
    def __init__(self, counts):
        self.counts = dict(counts)

    def has(self, kind, count):
        return self.counts.get(kind, 0) >= count
