"""People as the list knows them."""
from dataclasses import dataclass

RANKS = {"deck": 1, "mate": 2, "captain": 3}


@dataclass
class Person:
    name: str
    role: str
    rank: int
    ship: str


def person_from(data):
    name = data["name"].strip().title()
    role = str(data.get("role", "captain")).lower()
    rank = RANKS.get(role, 0)
    return Person(name, role, rank, data.get("ship", "-"))
