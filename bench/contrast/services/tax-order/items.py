"""What was ordered."""


def lines_of(items):
    lines = []
    for item in items:
        amount = item["price"] * item["count"]
        lines.append((item["name"], item["count"], amount))
    return lines


def sum_of(lines):
    return sum(amount for _name, _count, amount in lines)
