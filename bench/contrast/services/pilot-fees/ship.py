"""Ships."""
DEEP = 80
LARGE = 100


class Ship:
    def __init__(self, name, length, draft):
        self.name = name
        self.length = length
        self.draft = draft

    def __str__(self):
        return "%s (%d m)" % (self.name, self.length)

    def size_class(self):
        if self.length >= LARGE:
            return "large"
        return "small"

    def is_deep(self):
        """More than 8 m below the water line, in decimetres."""
        return self.length > DEEP
