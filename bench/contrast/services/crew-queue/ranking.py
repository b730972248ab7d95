"""The one with the fewest hours; somebody who knows the boat before somebody who does not."""


def choose(people, boat):
    best = None
    for person in people:
        if best is None or better(person, best, boat):
            best = person
    return best


def better(one, other, boat):
    knows = boat in one["boats"]
    other_knows = boat in other["boats"]
    if knows != other_knows:
        return other_knows
    return one["hours"] < other["hours"]
