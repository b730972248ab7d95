"""What a visiting boat pays for a night in the harbour."""
from fees import base_fee, extras
from seasons import season_of


def handle(path, body):
    length = body["length"]
    nights = body.get("nights", 1)
    season = season_of(body.get("month", 7))
    berth = body.get("berth", "buoy")
    night = base_fee(length, season, berth)
    total = night * nights
    for name, price in extras(body.get("extras", []), nights):
        total += price
    if nights >= 7:
        total = total * 0.9
    return {"total": round(total, 2), "night": night, "season": season}
