from labels import label_for, width_of
from decks import deck_of


def handle(path, body):
    deck = deck_of(body["deck"])
    raw = body["name"].encode("utf-8")
    label = label_for(raw, deck)
    return {"label": label, "width": width_of(label), "deck": deck["title"]}
