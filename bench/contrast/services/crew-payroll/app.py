"""What the crew are paid for a week."""
from crew import find
from overtime import Sheet
from taxes import deduct


def handle(path, body):
    person = find(body["who"])
    if person is None:
        return {"error": "nobody of that name"}
    problems = check(body)
    if problems:
        return {"error": problems[0]}
    sheet = Sheet(person["rate"], body["hours"], body.get("nights", 0))
    gross = round(sheet.gross(), 2)
    net, taxes = deduct(gross, person["band"])
    return {
        "who": person["name"],
        "gross": gross,
        "net": net,
        "taxes": taxes,
        "hours": sheet.total,
    }


def check(body):
    problems = []
    hours = body.get("hours")
    if not isinstance(hours, list) or not hours:
        problems.append("hours are a list")
        return problems
    for day, each in enumerate(hours):
        if each < 0 or each > 16:
            problems.append(f"day {day + 1} cannot be")
    if body.get("nights", 0) > len(hours):
        problems.append("more nights than days")
    return problems
