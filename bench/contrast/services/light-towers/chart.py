"""All towers of the chart."""
EACH = 4


class Chart:
    def __init__(self, is_fog):
        self.is_fog = is_fog
        self.towers = []

    def add(self, tower):
        self.towers.append(tower)

    def is_empty(self):
        return len(self.towers) == 0

    def arrange(self):
        self.towers.sort(key=lambda tower: tower.name)

    def first(self):
        return self.towers[0]

    def names(self):
        return [tower.name for tower in self.towers]

    def minutes(self):
        each = EACH * 2 if self.is_fog else EACH
        return each * len(self.towers)
