"""Lights along the coast: the highest is lit first."""
from chart import Chart
from tower import Tower


def handle(path, body):
    if path != "/lights":
        return {"error": "no lights"}
    chart = Chart(body.get("fog", False))
    for given in body.get("towers", []):
        chart.add(Tower(given["name"], given["height"]))
    if chart.is_empty():
        return {"error": "no towers"}
    chart.arrange()
    first = chart.first()
    return {
        "first": first.name,
        "order": chart.names(),
        "seen": first.seen_from(),
        "minutes": chart.minutes(),
    }
