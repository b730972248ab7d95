"""What is earned: a point for each whole unit of a fare, and a bonus by level."""
from levels import RULES


def earned(fares, level):
    total = 0
    for fare in fares:
        total += points_for(fare, level)
    if len(fares) >= 3:
        total += 5
    return total


def points_for(fare, level):
    points = int(fare)
    rule = RULES[level]
    bonus = rule.get("percent", 0)
    if bonus:
        points += points * bonus // 100
    return max(points, rule["least"])


def balance_after(member, points):
    return member["balance"] + points - member.get("held", 0)
