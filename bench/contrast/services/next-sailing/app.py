"""The next sailings from a harbour, with their places."""
from bisect import bisect_left

from harbours import harbour
from places import places_left
from timetable import sailings_from


def handle(path, body):
    start = harbour(body["from"])
    minutes = clock(body["after"])
    sailings = collect(start, body.get("days", "all"))
    index = position(sailings, minutes)
    chosen = sailings[index : index + body.get("count", 2)]
    answer = []
    for sailing in chosen:
        left = places_left(sailing["boat"], sailing["at"])
        if left <= 0 and body.get("free"):
            continue
        answer.append({"at": text(sailing["at"]), "boat": sailing["boat"], "left": left, "to": sailing["to"]})
    return {"from": start["name"], "sailings": answer, "more": max(0, len(sailings) - index - len(chosen))}


def clock(written):
    hours, minutes = written.split(":")
    return int(hours) * 60 + int(minutes)


def text(minutes):
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def collect(start, days):
    found = []
    for line in start["lines"]:
        for sailing in sailings_from(start["name"], line):
            if days == "all" or sailing["days"] in ("all", days):
                found.append(sailing)
    return found


def position(sailings, minutes):
    times = [sailing["at"] for sailing in sailings]
    return bisect_left(times, minutes)
