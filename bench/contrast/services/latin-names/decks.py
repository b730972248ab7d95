DECKS = {"A": {"title": "Upper", "beds": 20}, "B": {"title": "Lower", "beds": 44}}


def deck_of(letter):
    return DECKS[letter]
