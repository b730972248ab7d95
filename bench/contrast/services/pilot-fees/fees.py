"""What a pilot costs."""
BASE = {"small": 200, "large": 450}
DEEP = 150
TUG = 300


class Fees:
    def __init__(self, ship):
        self.ship = ship

    def parts(self, with_tug):
        parts = {"pilot": BASE[self.ship.size_class()]}
        if self.ship.is_deep():
            parts["deep"] = DEEP
        if with_tug:
            parts["tug"] = self.tug()
        return parts

    def tug(self):
        hours = 1 if self.ship.draft < 10 else 2
        return TUG * hours
