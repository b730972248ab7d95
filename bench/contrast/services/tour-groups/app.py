"""Guided tours: people by day, and how many guides are needed."""
from grouping import by_day, guides_needed
from money import fee


def handle(path, body):
    people = [(name, int(day)) for name, day in body["people"]]
    bad = [name for name, day in people if not 1 <= day <= 7]
    if bad:
        return {"error": f"no such day for {bad[0]}"}
    days = by_day(people)
    needed = guides_needed(days)
    total = 0
    for day, names in days.items():
        total += fee(len(names), body.get("guide", False))
    return {
        "days": {str(day): names for day, names in days.items()},
        "guides": needed,
        "total": total,
    }
