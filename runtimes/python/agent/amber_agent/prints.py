"""By what it is seen whether a value is still as it was: cheaper than its text, and of the program nothing but numbers
and texts is kept alive for it.

A print covers what the text of a value shows of it, as deep and as wide. Where only the type itself knows what it shows
(one with a `__repr__` of its own, one with slots) it is the text.
"""

from __future__ import annotations

from collections import deque
from itertools import islice
from types import BuiltinFunctionType, FunctionType, MethodType, ModuleType

from .values import text_of

# As deep as a text goes, and as many members of each container.
_DEPTH = 3
_MOST = 50
# Characters of a text that is kept as it is.
_LONGEST = 1_000
_NUMBERS = frozenset((int, float, complex, bool, type(None), type(Ellipsis)))
_TEXTS = frozenset((str, bytes))
# Of these one is equal to another only where both are of one type: `1 == True == 1.0`.
_PLAIN = frozenset((int, type(None)))
_LISTS = frozenset((list, tuple, deque))
_SETS = frozenset((set, frozenset))
_NAMED = (type, ModuleType, FunctionType, BuiltinFunctionType, MethodType)


def print_of(value, width: int):
    """The print of a value; one that cannot be taken is like no other. `width`: of texts, where there are any."""
    cls = type(value)
    if cls in _NUMBERS or cls in _TEXTS and len(value) <= _LONGEST:
        return value
    try:
        return _print(value, cls, _DEPTH, width)
    except Exception:
        # Somebody else has written into it meanwhile.
        return object()


def is_same(one, other) -> bool:
    """Whether two prints are of the same value."""
    return one is other or (type(one) is type(other) and one == other)


def _print(value, cls, depth: int, width: int):
    if cls in _NUMBERS:
        return value if cls in _PLAIN else (cls.__name__, value)
    if cls in _TEXTS:
        return value if len(value) <= _LONGEST else (len(value), hash(value))
    if depth == 0:
        return (id(cls), id(value))
    if cls is dict:
        return (len(value), _items(value, depth - 1, width))
    if cls in _LISTS or cls in _SETS:
        # What most members are needs no call.
        return (
            id(cls),
            len(value),
            [
                item
                if type(item) in _PLAIN or type(item) is str and len(item) <= _LONGEST
                else _print(item, type(item), depth - 1, width)
                for item in islice(value, _MOST)
            ],
        )
    if isinstance(value, _NAMED):
        return (id(cls), id(value))
    if cls.__repr__ is not object.__repr__ or any(base.__dict__.get("__slots__") for base in cls.__mro__):
        return text_of(value, width)
    try:
        held = object.__getattribute__(value, "__dict__")
    except AttributeError:
        return (id(cls), id(value))
    return (id(cls), id(value), _items(held, depth - 1, width))


def _items(held: dict, depth: int, width: int) -> list:
    return [
        (
            key if type(key) is str else _print(key, type(key), 1, width),
            item
            if type(item) in _PLAIN or type(item) is str and len(item) <= _LONGEST
            else _print(item, type(item), depth, width),
        )
        for key, item in islice(held.items(), _MOST)
    ]
