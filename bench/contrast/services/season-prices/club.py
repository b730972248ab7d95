"""Members of the club."""
MOST_GUESTS = 3


class Club:
    def __init__(self, guests):
        self.guests = min(guests, MOST_GUESTS)

    def rate(self):
        return 0.8
