"""What a vehicle is, as a booking describes it."""
from dataclasses import dataclass

KINDS = {"car": (4.3, 1.5, 1.4), "van": (5.6, 2.4, 2.6), "truck": (9.0, 3.6, 11.0)}


@dataclass
class Vehicle:
    kind: str
    length: float
    height: float
    weight: float
    gas: bool = False
    trailer: bool = False

    @classmethod
    def read(cls, given):
        kind = given.get("kind", "car")
        length, height, weight = KINDS[kind]
        trailer = bool(given.get("trailer"))
        if trailer:
            length += 4.0
        return cls(
            kind,
            given.get("length", length),
            given.get("height", height) + given.get("box", 0),
            given.get("weight", weight),
            bool(given.get("gas")),
            trailer,
        )
