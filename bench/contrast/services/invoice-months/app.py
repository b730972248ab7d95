"""When the payments of a berth are due."""
from months import add_months, parse
from rates import amount


def handle(path, body):
    start = parse(body["start"])
    if start is None:
        return {"error": "no such day"}
    count = int(body.get("months", 1))
    if count < 1 or count > 24:
        return {"error": "one month to two years"}
    weekly = bool(body.get("weekly"))
    dues = schedule(start, count)
    return {
        "dues": dues,
        "last": dues[-1],
        "each": amount(weekly, count),
    }


def schedule(start, count):
    dues = []
    for number in range(1, count + 1):
        year, month, day = add_months(start, number)
        dues.append(f"{year:04d}-{month:02d}-{day:02d}")
    return dues
