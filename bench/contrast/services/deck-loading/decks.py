"""The decks of each boat."""
from dataclasses import dataclass


@dataclass
class Deck:
    name: str
    level: int
    length: float
    width: float
    height: float
    load: float
    share: float = 1.0


DECKS = {
    "Kestrel": [
        Deck("upper", 2, 6.0, 9.0, 1.9, 2.0, 0.9),
        Deck("main", 1, 16.0, 12.0, 4.4, 18.0),
    ],
    "Petrel": [
        Deck("open", 1, 12.0, 8.0, 9.9, 12.0),
    ],
}


def by_name(name):
    for decks in DECKS.values():
        for deck in decks:
            if deck.name == name:
                return deck
    raise LookupError(name)
