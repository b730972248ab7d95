"""Signals with flags: how a text goes up the mast."""
from alphabet import spell
from mast import Mast
from words import tidy


def handle(path, body):
    if path != "/flags":
        return {"error": "not found"}
    text = tidy(body.get("text", ""))
    if not text:
        return {"error": "nothing to say"}
    flags = spell(text)
    mast = Mast(body.get("wind", 0))
    hoists = mast.hoists(flags)
    answer = {"flags": len(flags), "hoists": [" ".join(each) for each in hoists], "may": mast.may(len(flags))}
    if body.get("night"):
        answer["lamps"] = len(flags) * 2
    return answer
