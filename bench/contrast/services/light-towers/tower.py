"""A tower."""
from math import sqrt

MILES = 2.08


class Tower:
    def __init__(self, name, height):
        self.name = name
        self.height = height

    def seen_from(self):
        return round(MILES * sqrt(self.height), 1)
