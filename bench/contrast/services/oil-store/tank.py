"""The tanks."""


class Tank:
    def __init__(self, name, level, reserve):
        self.name = name
        self.level = level
        self.reserve = reserve

    def can_give(self, liters):
        if liters > self.level:
            return False
        return self.level + liters >= self.reserve

    def left_after(self, liters):
        return self.level - liters


TANKS = [
    Tank("north", 900, 200),
    Tank("south", 400, 200),
    Tank("west", 240, 200),
    Tank("east", 270, 200),
]


def find_tank(name):
    for tank in TANKS:
        if tank.name == name:
            return tank
    return None
