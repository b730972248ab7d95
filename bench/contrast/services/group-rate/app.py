from rates import rate_of, GROUP


def handle(path, body):
    passengers = body.get("passengers", {})
    count = sum(passengers.values())
    lines = fare_lines(passengers)
    total = sum(lines)
    total = with_discount(total, count)
    return {"total": total, "people": count}


def fare_lines(passengers):
    lines = []
    for kind, number in passengers.items():
        rate = rate_of(kind)
        lines.append(rate * number)
    return lines


def with_discount(total, count):
    group = GROUP
    if count > group:
        total = total * 90 // 100
    return total
