"""Hits of logpoints on their way to the client: texts made at once, sent in batches, bounded.

A thread of the program appends; only the serving thread sends. What neither the limits of a mark nor the client
can take is counted, exactly, and the count is sent with the next batch.
"""

from __future__ import annotations

import sys
from _thread import get_ident
from collections import deque
from itertools import count
from time import perf_counter_ns

from .served import current
from .values import text_of, type_name
from .veil import HIDDEN

# Hits in one message, and hits that may wait for a client that reads slowly.
BATCH = 500
MOST_WAITING = 20_000
# Bytes that may lie in the outbox before no more hits are put there.
MOST_UNSENT = 4 * 1024 * 1024
# Seconds that a hit may wait for others to go with it.
GATHER = 0.02

# What a string and an integer of JSON stand for among the values of a hit, and which integers JSON keeps exact.
_TYPES = {"text": "str", "whole": "int"}
_WHOLE = 1 << 53

PER_SECOND = 10_000
_WINDOW = 1_000_000_000
BYTES = 1024


class Tally:
    """A count that threads may add to at the same moment without losing one: `add` is one call into C."""

    __slots__ = ("add", "_count")

    def __init__(self) -> None:
        self._count = count()
        self.add = self._count.__next__

    @property
    def value(self) -> int:
        # The only way to read it that every version has: `count(5)`.
        return int(repr(self._count)[6:-1])


class Limits:
    """What one logpoint may tell. The window is kept without a lock: a second may hold a few more or less."""

    __slots__ = ("per_second", "in_all", "bytes", "_told", "_since", "_in_window")

    def __init__(self, wanted: dict) -> None:
        self.per_second = int(wanted.get("perSecond") or PER_SECOND)
        self.in_all = int(wanted.get("inAll") or sys.maxsize)
        self.bytes = int(wanted.get("bytes") or BYTES)
        self._told = 0
        self._since = 0
        self._in_window = 0

    def allow(self, now: int) -> bool:
        """Whether a hit now (nanoseconds) may be told; it then counts as told."""
        if now - self._since >= _WINDOW:
            self._since, self._in_window = now, 0
        if self._in_window >= self.per_second or self._told >= self.in_all:
            return False
        self._in_window += 1
        self._told += 1
        return True


class Hits:
    """What has been told and not sent yet."""

    def __init__(self, session) -> None:
        self._session = session
        self._waiting: deque = deque()
        self._seq = 1
        self._began = perf_counter_ns()
        # Marks of which hits were left out since the last batch, and how many of them have been told.
        self._dropped: dict = {}
        self.wake = lambda: None

    @property
    def waiting(self) -> bool:
        return bool(self._waiting or self._dropped)

    def teller(self, mark):
        """What stands in the spliced code of a logpoint: a function of its values.

        It does little more than append: a hit must cost no more than the write to a pipe that it replaces. Short
        strings and integers wait as they are; of everything else the text is made now, since it may change.
        """
        add, allow, limit = mark.hit.add, mark.limits.allow, mark.limits.bytes
        waiting, append, is_veiled = self._waiting, self._waiting.append, any(mark.veiled)

        def log(*values):
            if not mark.live:
                return
            add()
            now = perf_counter_ns()
            if not allow(now) or len(waiting) >= MOST_WAITING:
                self._leave_out(mark)
                return
            if is_veiled:
                values = self._shown(mark, values)
            else:
                for value in values:
                    kind = type(value)
                    if kind is str and len(value) <= limit or kind is int and -_WHOLE < value < _WHOLE:
                        continue
                    values = self._shown(mark, values)
                    break
            append((mark, now, get_ident(), values, current()))
            if len(waiting) == 1 or len(waiting) == BATCH:
                self.wake()

        return log

    def tell(self, mark, values, error: str = "") -> None:
        """A hit of `mark` in this thread, with its values or why there are none."""
        now = perf_counter_ns()
        if not mark.limits.allow(now) or len(self._waiting) >= MOST_WAITING:
            self._leave_out(mark)
            return
        told = [{"error": error}] if error else self._shown(mark, values)
        self._waiting.append((mark, now, get_ident(), told, current()))
        self.wake()

    def _leave_out(self, mark) -> None:
        mark.dropped.add()
        self._dropped[mark.id] = mark

    def _shown(self, mark, values) -> list:
        limit = mark.limits.bytes
        return [
            (HIDDEN if hidden else _text(value, limit), type_name(value))
            for value, hidden in zip(values, mark.veiled)
        ]

    def flush(self, unsent: int) -> None:
        """Send what waits (the serving thread). `unsent`: bytes that the client has not taken yet."""
        while self._waiting and unsent <= MOST_UNSENT:
            count_now = min(len(self._waiting), BATCH)
            unsent += self._send([self._waiting.popleft() for _ in range(count_now)])
        if self._dropped and unsent <= MOST_UNSENT:
            self._send([])

    def _send(self, batch: list) -> int:
        dropped = {}
        for mark_id in list(self._dropped):
            mark = self._dropped.pop(mark_id)
            left_out = mark.dropped.value
            if left_out > mark.dropped_told:
                dropped[str(mark_id)] = left_out - mark.dropped_told
                mark.dropped_told = left_out
        if not self._session.amber_client:
            for mark, _time, _ident, values, _request in batch:
                self._session.event("output", {"category": "console", "output": _line(mark, values) + "\n"})
            return 200 * len(batch)
        began, first = self._began, self._seq
        self._seq += len(batch)
        threads = {ident: self._session.threads.id_of(ident) for ident in {item[2] for item in batch}}
        hits = [(mark.id, (at - began) // 1000, threads[ident], *values) for mark, at, ident, values, _request in batch]
        body = {"first": first, "types": _TYPES, "hits": hits, "dropped": dropped}
        body.update(_requests_of(batch))
        self._session.event("amberHits", body)
        return 100 * len(batch)


def _requests_of(batch: list) -> dict:
    """Which request each hit belongs to, and those of them that the client does not know yet."""
    requests = [item[4] for item in batch]
    if not any(requests):
        return {}
    begun = []
    for request in requests:
        if request is not None and not request.told:
            request.told = True
            begun.append(request.describe())
    return {"requests": [request.id if request else 0 for request in requests], "begun": begun}


def _line(mark, values) -> str:
    if values and isinstance(values[0], dict):
        return values[0]["error"]
    return fill(mark.message, [value[0] if isinstance(value, tuple) else str(value) for value in values])


def _text(value, limit: int) -> str:
    # A string is told as it is, as by print; inside other values it has its quotes.
    if type(value) is str:
        return value if len(value) <= limit else value[:limit] + "…"
    return text_of(value, limit)


def expressions_in(message: str) -> list:
    """The expressions of a message of plain DAP, each in braces that may hold braces themselves."""
    return [piece for piece, is_value in _pieces(message) if is_value]


def fill(message: str, values: list) -> str:
    """A message of plain DAP with its values put in."""
    rest = iter(values)
    return "".join(next(rest, "") if is_value else piece for piece, is_value in _pieces(message))


def _pieces(message: str):
    depth, text = 0, ""
    for character in message:
        if character == "{" and depth == 0:
            yield text, False
            depth, text = 1, ""
        elif character == "}" and depth == 1:
            yield text, True
            depth, text = 0, ""
        else:
            if depth:
                depth += (character == "{") - (character == "}")
            text += character
    yield text, False
