"""The list itself."""


class Listing:
    def __init__(self):
        self.numbers = {}

    def put(self, person, number):
        self.numbers[person.name] = number

    def entry(self, person):
        number = self.numbers[person.name]
        if person.rank >= 3:
            return f"{person.name}: (hidden)"
        return f"{person.name}: {number}"

    def group(self, person):
        if person.rank >= 2:
            return "bridge"
        return "deck"

    def alarm(self, person):
        first = person.rank == 3
        return 1 if first else 2
