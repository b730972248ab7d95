"""Seats of the boats, row by row."""


class SeatMap:
    BOATS = {"Tarrin": 4, "Holm": 6}

    def __init__(self, harbour):
        self.across = self.BOATS[harbour]

    def take(self, count):
        taken = []
        for number in range(count):
            row = number // self.across + 1
            letter = "ABCDEF"[number % self.across]
            taken.append(f"{row}{letter}")
        return taken
