"""Who is called next when a crew member falls ill."""
from crew import CREW, hours_of
from ranking import choose


def handle(path, body):
    role = body["role"]
    day = body.get("day", 1)
    free = [person for person in CREW if person["role"] == role and day not in person["off"]]
    if not free:
        return {"called": None, "why": "nobody is free"}
    person = choose(free, body.get("boat", "Kestrel"))
    hours = hours_of(person, day)
    return {"called": person["name"], "hours": hours, "of": len(free)}
