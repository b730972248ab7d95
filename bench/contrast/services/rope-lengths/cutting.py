"""How much rope is needed."""
from math import ceil

COIL = 100
KINDS = ("mooring", "tow")


class Cut:
    def __init__(self, pieces, kind):
        if kind not in KINDS:
            kind = KINDS[0]
        self.pieces = list(pieces)
        self.kind = kind

    def meters(self):
        return sum(int(piece) for piece in self.pieces)

    def coils(self):
        return ceil(self.meters() / COIL)
