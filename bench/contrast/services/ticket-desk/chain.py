"""Steps that are taken one after the other; each gets what the one before has given."""


class Refused(Exception):
    """A request that the desk does not take."""


class Chain:
    def __init__(self, *steps):
        self.steps = steps

    def run(self, request):
        for step in self.steps:
            request = step(request)
            if request is None:
                raise Refused(f"{step.__name__} has lost it")
        return request
