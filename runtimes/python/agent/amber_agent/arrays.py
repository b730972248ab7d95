"""Data frames, series and arrays (pandas, numpy, and what has their shape) as rows and items.

They are known by the names of their classes, so that nothing is imported for them. A page of them is read one cell at a time,
by the position; nothing is copied as a whole.
"""

from __future__ import annotations

import sys

# Columns of which a text tells the names.
NAMED = 12


class Row:
    """One row of a data frame."""

    __slots__ = ("frame", "position")

    def __init__(self, frame, position: int) -> None:
        self.frame = frame
        self.position = position


def kind_of(value) -> str:
    """`frame`, `series`, `array`, `row`, or nothing."""
    # Most programs have none of these, and this is asked of every value that is shown.
    if "numpy" not in sys.modules:
        return ""
    if type(value) is Row:
        return "row"
    for cls in type(value).__mro__:
        module = cls.__module__ if isinstance(cls.__module__, str) else ""
        package = module.partition(".")[0]
        if package == "pandas" and cls.__name__ in ("DataFrame", "Series"):
            return "frame" if cls.__name__ == "DataFrame" else "series"
        if package == "numpy" and cls.__name__ == "ndarray":
            return "array" if value.ndim > 0 else ""
    return ""


def text_of(value, kind: str) -> str:
    """What it is, with its shape; of an array that is all of the library's own text."""
    if kind == "row":
        return "row %d" % value.position
    if kind == "series":
        name = "" if value.name is None else " %s" % value.name
        return "<Series%s: %s of %s>" % (name, _count(len(value), "value"), value.dtype)
    names = [str(name) for name in value.columns[:NAMED]]
    more = len(value.columns) - len(names)
    told = ", ".join(names) + (", … %d more" % more if more > 0 else "")
    shape = "%s, %s" % (_count(len(value), "row"), _count(len(value.columns), "column"))
    return "<DataFrame: %s: %s>" % (shape, told)


def type_of(value, kind: str) -> str:
    """Its type with its shape: `DataFrame (1,000 × 3)`, `ndarray (3 × 4) of int64`."""
    if kind == "row":
        return "row"
    shape = " × ".join(format(size, ",") for size in value.shape)
    of = "" if kind == "frame" else " of %s" % value.dtype
    return "%s (%s)%s" % (type(value).__name__, shape, of)


def _count(number: int, what: str) -> str:
    return "%s %s%s" % (format(number, ","), what, "" if number == 1 else "s")


def counts(value, kind: str) -> tuple:
    """(named, indexed): how many children of each kind."""
    return (len(value.frame.columns), 0) if kind == "row" else (0, len(value))


def children(value, kind: str, path, start: int, count: int) -> list:
    """A page of them: (name, value, the expression that reaches it or None)."""
    if kind == "row":
        frame, position = value.frame, value.position
        reached = "%s.iat[%d, %%d]" % (path, position) if path else None
        columns = range(start, min(start + count, len(frame.columns)))
        return [(str(frame.columns[at]), frame.iat[position, at], reached and reached % at) for at in columns]
    found = range(start, min(start + count, len(value)))
    if kind == "frame":
        # Cells are reached by the frame's own path.
        return [(_label(value.index[at]), Row(value, at), path) for at in found]
    if kind == "series":
        return [(_label(value.index[at]), value.iat[at], "%s.iat[%d]" % (path, at) if path else None) for at in found]
    return [("[%d]" % at, value[at], "%s[%d]" % (path, at) if path else None) for at in found]


def _label(label) -> str:
    return "[%s]" % (label if isinstance(label, int) else str(label)[:60])
