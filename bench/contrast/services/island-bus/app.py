"""The bus on the island: when it comes, how long it takes and what it costs."""
from journeys import plan
from stops import STOPS, is_known


def handle(path, body):
    start = body.get("from", "pier")
    to = body.get("to", "pier")
    for name in (start, to):
        if not is_known(name):
            return {"ok": False, "why": f"no stop called {name}"}
    if start == to:
        return {"ok": True, "minutes": 0, "fare": 0, "leaves": None}
    journey = plan(start, to, clock(body["at"]))
    if journey is None:
        return {"ok": False, "why": "no bus any more"}
    return {
        "ok": True,
        "leaves": show(journey.leaves),
        "arrives": show(journey.leaves + journey.minutes),
        "minutes": journey.minutes,
        "fare": fare(journey, STOPS[to]["zone"]),
    }


def clock(text):
    hours, minutes = text.split(":")
    return int(hours) * 60 + int(minutes)


def show(minutes):
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def fare(journey, zone):
    base = 1.5 if zone == 1 else 2.2
    if journey.minutes > 20:
        base += 0.8
    return round(base, 2)
