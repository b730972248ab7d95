"""Tickets that somebody at the desk looks for."""
from filters import build, matching
from store import rows
from view import page


def handle(path, body):
    tests = build(body)
    found = matching(rows(), tests)
    limit = int(body.get("limit", 3))
    if limit < 1:
        return {"error": "limit is at least one"}
    shown = page(found, limit)
    return {
        "count": len(found),
        "shown": shown,
        "more": len(found) > limit,
        "hint": hint(tests, found),
    }


def hint(tests, found):
    if not tests:
        return "say what you look for"
    if not found:
        return "nothing like it"
    return None
