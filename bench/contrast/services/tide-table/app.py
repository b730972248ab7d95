"""When the water is high enough in a harbour."""
from clock import minutes_of_day, read_moment, show
from harbours import depth_needed, tides_of
from level import level_at


def handle(path, body):
    port = body["port"]
    moment = read_moment(body["at"])
    tides = tides_of(port, moment.date().isoformat())
    if not tides:
        return {"ok": False, "why": "no tides are known for that day"}
    now = minutes_of_day(moment)
    level = level_at(tides, now)
    needed = depth_needed(port, body.get("boat", "Kestrel"))
    answer = {
        "ok": level >= needed,
        "level": round(level, 2),
        "needed": needed,
        "at": show(moment),
    }
    if not answer["ok"]:
        answer["from"] = next_time(tides, now, needed)
    return answer


def next_time(tides, now, needed):
    for minute in range(now, 24 * 60, 10):
        if level_at(tides, minute) >= needed:
            return f"{minute // 60:02}:{minute % 60:02}"
    return None
