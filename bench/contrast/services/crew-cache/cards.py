"""What hangs at the gangway."""
RANKS = ["captain", "mate", "deck"]


class Card:
    def __init__(self, name, rank):
        self.name = name
        self.rank = rank

    def text(self):
        rank = RANKS[min(self.rank, 2)]
        return f"{self.name.title()} ({rank})"
