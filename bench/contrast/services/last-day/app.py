from calendar import monthrange


def handle(path, body):
    year, month, day = (int(part) for part in body["on"].split("-"))
    days = sailing_days(year, month)
    sails = day in days
    boats = boats_on(day) if sails else []
    return {"sails": sails, "boats": boats}


def sailing_days(year, month):
    first, length = monthrange(year, month)
    days = list(range(1, length))
    return days


def boats_on(day):
    boats = ["Tern", "Gannet"]
    if day % 2:
        boats.append("Skua")
    return boats
