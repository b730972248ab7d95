"""Slots at the dock: from when to when a ship lies there, and at which crane."""
from cranes import crane_of, free_crane
from plan import leave_at, parse
from tariffs import fee


def handle(path, body):
    if path != "/slots":
        return {"error": "unknown"}
    try:
        arrives = parse(body["arrives"])
    except (KeyError, ValueError) as error:
        return {"error": f"when? {error}"}
    crane = crane_of(body["crane"]) if "crane" in body else free_crane(arrives.hour)
    minutes = int(body.get("unload", 0))
    if minutes < 5:
        return {"error": "too short"}
    leaves = leave_at(arrives, minutes, body.get("clean", 0), crane)
    stay = leaves - arrives
    return {
        "ship": body["ship"],
        "crane": crane["name"],
        "from": arrives.strftime("%H:%M"),
        "until": leaves.strftime("%H:%M"),
        "fee": fee(stay, crane["class"]),
    }
