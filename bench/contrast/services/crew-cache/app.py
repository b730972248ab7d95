"""Who is on which boat."""
from cards import Card
from roster import Roster

ROSTER = Roster()
DAYS = ("mon", "tue", "wed")


def handle(path, body):
    if path != "/crew":
        return {"error": "not found"}
    day = body.get("day")
    if day not in DAYS:
        return {"error": f"no plan for {day}"}
    crew = ROSTER.crew(body["boat"], day)
    cards = [Card(name, rank) for rank, name in enumerate(crew)]
    if body.get("full"):
        cards.append(Card("cook", len(cards)))
    return {"boat": body["boat"], "crew": [card.text() for card in cards], "hands": len(cards)}
