"""Hours and what they are worth."""
FULL_WEEK = 40
OVERTIME = 1.5
NIGHT = 22


class Sheet:
    """The hours of somebody in one week."""

    def __init__(self, rate, hours, nights):
        self.rate = rate
        self.hours = hours
        self.nights = nights

    @property
    def total(self):
        return sum(self.hours)

    def regular(self):
        return min(self.total, FULL_WEEK)

    def over(self):
        return max(0, self.total - FULL_WEEK)

    def gross(self):
        base = self.regular() * self.rate
        over = self.over()
        extra = 0
        if over:
            extra = over * self.rate + OVERTIME
        return base + extra + self.nights * NIGHT
