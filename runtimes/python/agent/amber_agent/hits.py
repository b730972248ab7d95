"""Hits of logpoints on their way to the client: texts made at once, sent in batches, bounded.

A thread of the program appends; only the serving thread sends. What neither the limits of a mark nor the client
can take is counted, exactly, and the count is sent with the next batch.
"""

from __future__ import annotations

import sys
from _thread import get_ident
from collections import deque
from itertools import repeat
from operator import length_hint
from time import monotonic, perf_counter_ns, time_ns

from .served import current
from .values import text_of, type_name
from .veil import HIDDEN
from .wire import Json, compact, quoted

# Hits in one message, and hits that may wait for a client that reads slowly.
BATCH = 500
MOST_WAITING = 20_000
# Bytes that may lie in the outbox before no more hits are put there.
MOST_UNSENT = 4 * 1024 * 1024
# Seconds that a hit may wait for others to go with it.
GATHER = 0.02
# The same of requests alone: to come to its turn costs the serving thread, and the program, more than telling them.
GATHER_REQUESTS = 0.1

# What a string and an integer of JSON stand for among the values of a hit, and which integers JSON keeps exact.
_TYPES = {"text": "str", "whole": "int"}
_WHOLE = 1 << 53

PER_SECOND = 10_000
_WINDOW = 1_000_000_000
BYTES = 1024


class Tally:
    """A count that threads may add to at the same moment without losing one: `add` is one call into C.

    It counts what is left of an iterator that gives None so often that nobody sees its end, and makes no number at a
    pass. `next(left)` adds too, and is what the compiler's own calls of builtins are quickest at.
    """

    __slots__ = ("add", "left")

    def __init__(self) -> None:
        self.left = repeat(None, sys.maxsize)
        self.add = self.left.__next__

    @property
    def value(self) -> int:
        return sys.maxsize - length_hint(self.left)


class Limits:
    """What one logpoint may tell. The window is kept without a lock: a second may hold a few more or less."""

    __slots__ = ("per_second", "in_all", "bytes", "told", "until", "ends")

    def __init__(self, wanted: dict) -> None:
        self.per_second = int(wanted.get("perSecond") or PER_SECOND)
        self.in_all = int(wanted.get("inAll") or sys.maxsize)
        self.bytes = int(wanted.get("bytes") or BYTES)
        # How many have been told, how many may be in this window, and when (nanoseconds) it ends.
        self.told = 0
        self.until = 0
        self.ends = 0

    def begin(self, now: int) -> None:
        """A window begins."""
        self.ends = now + _WINDOW
        self.until = min(self.in_all, self.told + self.per_second)

    def allow(self, now: int) -> bool:
        """Whether a hit now (nanoseconds) may be told; it then counts as told."""
        if now >= self.ends:
            self.begin(now)
        if self.told >= self.until:
            return False
        self.told += 1
        return True


class Step(tuple):
    """What a followed line tells: the number of the call, the name of its function as JSON, and the members of what has changed."""

    __slots__ = ()


class Hits:
    """What has been told and not sent yet."""

    def __init__(self, session) -> None:
        self._session = session
        self.queue: deque = deque()
        self._seq = 1
        # Since when something waits, as the serving thread has seen it.
        self._since = None
        self._began = perf_counter_ns()
        # The wall clock at that moment, in microseconds: hits of several programs are set in order by it.
        self._epoch = time_ns() // 1000
        # Requests that began or ended since the last batch, where the client wants to hear of all of them.
        self.tells_requests = False
        self._begun: deque = deque()
        self._ended: deque = deque()
        # Spans that requests have handed on to other services: (request, id of the span).
        self._called: deque = deque()
        # What was printed: (stream, line, when, request).
        self._printed: deque = deque()
        self._unprinted = Tally()
        self._unprinted_told = 0
        # Events that are told after everything before them: (name, body).
        self._later: deque = deque()
        # How many requests the client could not be told of, since it reads too slowly.
        self._untold = Tally()
        self._untold_told = 0
        # Marks of which hits were left out since the last batch, and how many of them have been told.
        self._dropped: dict = {}
        self.wake = lambda: None

    @property
    def waiting(self) -> bool:
        return bool(
            self.queue or self._dropped or self._begun or self._ended or self._printed or self._later
        )

    def begun(self, request) -> None:
        """A request begins. It is told of only where every one is wanted; otherwise with its first hit."""
        if not self.tells_requests:
            return
        if len(self._begun) + len(self._ended) >= MOST_WAITING:
            self._untold.add()
            return
        request.told = True
        self._begun.append(request)
        self._wake_for_requests()

    def ended(self, request) -> None:
        """A request has been answered. Who has not heard of its beginning does not hear of its end."""
        if request.told:
            self._ended.append((request, perf_counter_ns()))
            self._wake_for_requests()

    def printed(self, stream: str, line: str) -> None:
        """A line was printed in this thread."""
        if len(self._printed) >= MOST_WAITING:
            self._unprinted.add()
            return
        self._printed.append((stream, line, perf_counter_ns(), current()))
        if len(self._printed) == 1:
            self.wake()

    def called(self, request, traceparent: str) -> None:
        """A request asks another service, in a span of its own (W3C Trace Context)."""
        parts = traceparent.split("-")
        if request.told and len(parts) >= 4 and len(self._called) < MOST_WAITING:
            self._called.append((request, parts[2]))

    def then_tell(self, name: str, body: dict) -> None:
        """An event of this thread that is told at once, and after all that was told before it."""
        self._later.append((name, body))
        self.wake()

    def _wake_for_requests(self) -> None:
        if len(self._begun) + len(self._ended) == 1:
            self.wake()

    def teller(self, mark):
        """What stands in the spliced code of a logpoint: a function of its values.

        It does little more than append: a hit must cost no more than the write to a pipe that it replaces. Short
        strings and integers wait as they are; of everything else the text is made now, since it may change.
        """
        add, limits, limit = mark.hit.add, mark.limits, mark.limits.bytes
        waiting, append, is_veiled = self.queue, self.queue.append, any(mark.veiled)

        def log(*values):
            if not mark.live:
                return
            add()
            now = perf_counter_ns()
            # As `allow` has it, without the call.
            if now >= limits.ends:
                limits.begin(now)
            if limits.told >= limits.until or len(waiting) >= MOST_WAITING:
                self.leave_out(mark)
                return
            limits.told += 1
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
        if self.may_tell(mark):
            self.append(mark, [{"error": error}] if error else self._shown(mark, values))

    def may_tell(self, mark) -> bool:
        """Whether the limits of a mark leave room for a hit; one that they do not is counted."""
        if mark.limits.allow(perf_counter_ns()) and len(self.queue) < MOST_WAITING:
            return True
        self.leave_out(mark)
        return False

    def append(self, mark, told) -> None:
        """A hit in this thread, as it is to be told."""
        waiting = self.queue
        waiting.append((mark, perf_counter_ns(), get_ident(), told, current()))
        if len(waiting) == 1 or len(waiting) == BATCH:
            self.wake()

    def leave_out(self, mark) -> None:
        mark.dropped.add()
        self._dropped[mark.id] = mark

    def _shown(self, mark, values) -> list:
        limit = mark.limits.bytes
        return [
            (HIDDEN if hidden else _text(value, limit), type_name(value))
            for value, hidden in zip(values, mark.veiled)
        ]

    def due_in(self) -> float:
        """Seconds until what waits is to be sent (the serving thread): at once when it is much."""
        if len(self.queue) >= BATCH or self._later:
            return 0.0
        now = monotonic()
        if self._since is None:
            self._since = now
        are_requests_alone = not (self.queue or self._printed or self._dropped)
        return max(0.0, self._since + (GATHER_REQUESTS if are_requests_alone else GATHER) - now)

    def flush(self, unsent: int) -> None:
        """Send what waits (the serving thread). `unsent`: bytes that the client has not taken yet."""
        self._since = None
        # Who has ended by now, or has stopped, has told all its hits.
        ended, later = len(self._ended), len(self._later)
        while self.queue and unsent <= MOST_UNSENT:
            count_now = min(len(self.queue), BATCH)
            unsent += self._send([self.queue.popleft() for _ in range(count_now)])
        if (self._dropped or self._begun or self._printed or ended) and unsent <= MOST_UNSENT:
            self._send([], ended)
        for _ in range(later):
            self._session.event(*self._later.popleft())

    def _send(self, batch: list, ended: int = 0) -> int:
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
        body = {"first": self._seq, "epoch": self._epoch, "types": _TYPES, "dropped": dropped}
        self._seq += len(batch)
        body.update(self._requests_of(batch, ended))
        rows, said = self._rows(batch)
        head = compact(body)
        self._session.event("amberHits", Json('%s,"hits":[%s]}' % (head[:-1], rows), head + said))
        return 100 * (len(batch) + len(body.get("begun", ())) + len(body.get("printed", ())))

    def _rows(self, batch: list) -> tuple:
        """Hits as rows of JSON, and all that their values say, in which there may be something to hide.

        Written by hand, which takes half of the time of making them for the encoder.
        """
        began, id_of = self._began, self._session.threads.id_of
        rows: list = []
        said: list = []
        last_ident = None
        middle = ""
        for mark, at, ident, values, _request in batch:
            if ident != last_ident:
                last_ident, middle = ident, ",%d" % id_of(ident)
            if type(values) is Step:
                call, name, changed = values
                told = f',{{"frame":{call},"name":{name},"changed":{{{changed[:-1]}}}}}'
                if changed:
                    said.append(changed)
            elif len(values) == 1 and type(values[0]) is int:
                told = f",{values[0]}"
            else:
                told = _values(values)
                said.append(told)
            rows.append(f"[{mark.id},{(at - began) // 1000}{middle}{told}]")
        return ",".join(rows), "".join(said)

    def _requests_of(self, batch: list, ended: int) -> dict:
        """Which request each hit belongs to, those that the client does not know yet, and those that are over."""
        requests = [item[4] for item in batch]
        begun = list(_drained(self._begun))
        known = dict.fromkeys(requests)
        for request in known:
            if request is not None and not request.told:
                request.told = True
                begun.append(request)
        body: dict = {}
        if any(known):
            # The last one stands for what follows: mostly all hits belong to the same.
            ids = requests[:1] if len(known) == 1 else requests
            body["requests"] = [request.id if request else 0 for request in ids]
        if begun:
            body["begun"] = [dict(request.describe(), at=self._micros(request.at)) for request in begun]
        if ended:
            over = [self._ended.popleft() for _ in range(ended)]
            body["ended"] = [(request.id, request.status or 0, self._micros(at)) for request, at in over]
        if self._called:
            body["called"] = [(request.id, span) for request, span in _drained(self._called)]
        if self._printed:
            body["printed"] = [
                (stream, line, self._micros(at), request.id if request else 0)
                for stream, line, at, request in _drained(self._printed)
            ]
        unprinted = self._unprinted.value
        if unprinted > self._unprinted_told:
            body["unprinted"], self._unprinted_told = unprinted - self._unprinted_told, unprinted
        untold = self._untold.value
        if untold > self._untold_told:
            body["untold"], self._untold_told = untold - self._untold_told, untold
        return body

    def _micros(self, at: int) -> int:
        """Microseconds since we began to count. What began before that has a negative number."""
        return (at - self._began) // 1000


def _values(values) -> str:
    """The values of a row: strings and integers as they are, pairs of text and type, or one object in their place."""
    return "".join(
        [
            ",%d" % value if type(value) is int else "," + (quoted(value) if type(value) is str else compact(value))
            for value in values
        ]
    )


def _drained(waiting: deque):
    """What is in a queue, taken out of it."""
    while waiting:
        yield waiting.popleft()


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
