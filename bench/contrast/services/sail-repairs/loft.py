"""The sail loft."""
HOURS = {"seam": 2, "patch": 3, "rope": 1}
LOOK = 0.5
RATE = 40


class Loft:
    def __init__(self, is_rush):
        self.is_rush = is_rush

    def hours(self, job):
        hours = LOOK
        for step in job.steps:
            hours += HOURS.get(step, 1)
        return hours

    def cost(self, hours):
        cost = hours * RATE
        if self.is_rush:
            cost = cost * 1.5
        return round(cost, 2)
