"""Shapes of code that newer versions of Python know."""
from dataclasses import dataclass
from string.templatelib import Template


@dataclass(slots=True)
class Boat:
    name: Later
    seats: int = 3

    def load[T](self, people: list[T]) -> list[T]:
        taken = [one for one in people][: self.seats]
        return taken


class Later:
    pass


type Pair[A] = tuple[A, A]


def fare(kind, *, season=1.0):
    match kind:
        case {"seats": int(seats)} if seats > 2:
            price = seats * 3
        case [first, *others]:
            price = first + len(others)
        case _:
            price = 1
    return price * season


def told(n):
    text = t"{n} of {n + 1:>3}"
    assert isinstance(text, Template)
    parts = [part if isinstance(part, str) else str(part.value) for part in text]
    return "".join(parts)


def guarded(n):
    try:
        return 10 // n
    except ZeroDivisionError, TypeError:
        return -1
    finally:
        n += 1


def grouped(n):
    try:
        raise ExceptionGroup("tide", [ValueError("low")] * n)
    except* ValueError as group:
        n += len(group.exceptions)
    return n


async def tide(n):
    return n + 1


async def crossing(n):
    level = await tide(n)
    return [each async for each in waves(level)]


async def waves(n):
    for one in range(n):
        yield one


def later():
    pending = crossing(2)
    try:
        pending.send(None)
    except StopIteration as end:
        return end.value


answers = [
    Boat("Aino").load([1, 2, 3, 4]),
    fare({"seats": 4}),
    fare([2, 3, 4], season=2),
    fare(None),
    told(4),
    [guarded(n) for n in (0, 5)],
    grouped(2),
    later(),
    (lambda n: n * 2)(21),
]
