"""People by the day on which they come. The list is in the order of days."""


def by_day(people):
    days = {}
    for name, day in sorted(people, key=lambda each: each[1]):
        days.setdefault(day, []).append(name)
    return days


def guides_needed(days):
    """One guide for two people of a day, counted anew for each day."""
    needed = {}
    count = 0
    for day, names in days.items():
        for _name in names:
            count += 1
        guides = count // 2 + count % 2
        needed[str(day)] = max(1, guides)
    return needed
