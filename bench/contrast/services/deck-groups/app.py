"""Guests on deck are shown round in groups."""
from guides import guides_for, price_of
from groups import groups_of


def checked(body):
    names = body.get("names") or []
    if not names:
        return None, "who comes?"
    if body.get("deck") not in ("sun", "lower"):
        return None, "which deck?"
    return names, None


def handle(path, body):
    if path != "/groups":
        return {"error": "not here"}
    names, trouble = checked(body)
    if trouble:
        return {"error": trouble}
    groups = groups_of(names)
    guides = guides_for(groups)
    cost = sum(price_of(guide, body["deck"]) for guide in guides)
    return {
        "groups": [len(group) for group in groups],
        "guides": guides,
        "cost": cost,
        "each": round(cost / len(names), 2),
    }
