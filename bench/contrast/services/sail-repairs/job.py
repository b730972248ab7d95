"""What is to be done with one sail."""


class Job:
    steps = []

    def __init__(self, sail):
        self.sail = sail

    def add(self, work):
        self.steps.append(work)

    def names(self):
        return [step.upper() for step in self.steps]

    def is_empty(self):
        return not self.steps
