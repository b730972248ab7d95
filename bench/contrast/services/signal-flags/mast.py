"""The mast: so many flags at once, fewer when it blows, and none at all in a storm with a short text."""
STRONG = 8
ROOM = 6


class Mast:
    def __init__(self, wind):
        self.wind = wind

    def hoists(self, flags):
        size = ROOM if self.wind < 5 else ROOM // 2
        return [flags[at : at + size] for at in range(0, len(flags), size)]

    def may(self, length):
        """In strong wind only what is too short to be torn goes up."""
        return self.wind < STRONG or length > ROOM
