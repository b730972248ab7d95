"""Marks: what is to happen when a line is reached, and what has been counted there."""

from __future__ import annotations

import copy
import re
import sys
from _thread import get_ident
from itertools import count

from . import veil
from .evaluate import Condition, asks_for_request
from .hits import Limits, Tally
from .pattern import RequestPattern
from .served import current

_RULE = re.compile(r"^\s*(?:(?:==?\s*)?(\d+)|every\s+(\d+)|%\s*(\d+)|from\s+(\d+)|>=\s*(\d+)|(\d+)\s*\.\.\s*(\d+))\s*$")


class HitRule:
    """Which of the passes count: the 5th (`5`), `every 5`, `from 5`, or `5..9`.

    The forms `== 5`, `% 5` and `>= 5`, which other DAP clients send, mean the same.
    """

    def __init__(self, text: str) -> None:
        match = _RULE.match(text)
        if match is None:
            raise ValueError("a hit rule is a number, `every N`, `from N` or `N..M`, not %r" % text)
        one, every, modulo, start, least, low, high = (int(part) if part else 0 for part in match.groups())
        self._every = every or modulo
        self._low = one or start or least or low
        self._high = one or high or sys.maxsize
        if not self._every and (self._low < 1 or self._high < self._low):
            raise ValueError("a hit rule counts from 1 upwards, not %r" % text)

    def takes(self, number: int) -> bool:
        """Whether the pass with this number (from 1) counts."""
        if self._every:
            return number % self._every == 0
        return self._low <= number <= self._high


class Mark:
    """One mark in one place of one file. Its id is never used again after a change."""

    _ids = count(1)

    @classmethod
    def next_id(cls) -> int:
        return next(cls._ids)

    def __init__(self, path: str, asked_line: int, wanted, number=None) -> None:
        self.id = number or Mark.next_id()
        self.path = path
        self.asked_line = asked_line
        self.kind = wanted.kind
        self.values = wanted.values
        self.veiled = [veil.current().hides_expression(value) for value in self.values]
        self.message = wanted.message
        self.limits = Limits(wanted.limits)
        self.only = wanted.only
        self._requests = RequestPattern(wanted.only) if wanted.only else None
        self.dropped = Tally()
        self.dropped_told = 0
        condition, rule = wanted.condition, wanted.rule
        self.line = asked_line
        self.condition = condition.strip()
        self.rule = rule.strip()
        self._takes = HitRule(rule) if self.rule else None
        self.test = Condition(self.condition) if self.condition else None
        self._told = [Condition(value, True) for value in self.values]
        self._passes = count(1)
        self.hit = Tally()
        self._failed = Tally()
        self._first_failure = iter((True,))
        self.first_error = ""
        # Whether it is set: code that runs still when it is gone keeps calling it.
        self.live = False
        self.bound = False
        self.route = ""
        self.note = ""
        self.reason = ""
        # Whether it stands on the first statement of a function: every call passes it once, before all others.
        self.opens = False
        # Whether lambdas stand on its line, of each of which a pass is a call.
        self.has_lambdas = False
        # What may have changed between the lines of its file that are followed.
        self.effects = None
        # By the line before: what may have changed since.
        self.after: dict = {}
        # Of a function by name: its first and its last line, and how many have that name.
        self.extent = None
        self.namesakes = 1
        # Whether its expressions name the request that is served, and whether the program has no such name (bind.py decides).
        self.request_is_ours = False
        self.asks_request = any(asks_for_request(text) for text in [self.condition] + self.values if text)
        # Whether its expressions can stand in the function as code of its own (splice.py decides).
        self.inline = True

    def twin(self, path: str, line: int) -> Mark:
        """The same mark in another place, with the same number and the same counts."""
        twin = copy.copy(self)
        twin.path, twin.asked_line, twin.line = path, line, line
        twin.live, twin.bound, twin.opens, twin.has_lambdas = False, False, False, False
        twin.route = twin.note = twin.reason = ""
        return twin

    @property
    def hits(self) -> int:
        return self.hit.value

    @property
    def errors(self) -> int:
        return self._failed.value

    @property
    def has_rule(self) -> bool:
        return self._takes is not None

    def same_as(self, path: str, wanted) -> bool:
        """Whether this mark already is what is asked for, so that its counts can be kept."""
        ours = (self.path, self.asked_line, self.condition, self.rule, self.kind, self.values, self.message, self.only)
        asked = (wanted.line, wanted.condition, wanted.rule, wanted.kind, wanted.values, wanted.message, wanted.only)
        return ours == (path, *asked)

    def takes_request(self) -> bool:
        """Whether what is served here, if anything, is of the requests that the mark is for."""
        return self._requests is None or self._requests.matches(current())

    def told_in(self, frame) -> list:
        """The values of a logpoint in `frame`. Raises what one of its expressions raises."""
        return [condition.value(frame) for condition in self._told]

    def failed(self) -> bool:
        """Count an error; whether it is the first."""
        self._failed.add()
        return next(self._first_failure, False)

    def passes(self) -> bool:
        """Count a pass whose condition held; whether the hit rule takes it."""
        number = next(self._passes)
        return self._takes is None or self._takes.takes(number)

    def describe(self) -> dict:
        """The DAP Breakpoint."""
        body = {"id": self.id, "verified": self.bound}
        # A mark at requests has no line of its own.
        if self.line:
            body.update(line=self.line, source={"path": self.path})
        text = self.note if self.bound else self.reason
        if not text and self.namesakes > 1:
            text = "%d functions have this name" % self.namesakes
        if text:
            body["message"] = text
        if not self.bound:
            body["reason"] = "pending"
        body["amber"] = {"route": self.route or None, "note": self.note or None}
        body["amber"].update(self.counts())
        if self.extent is not None:
            body["amber"]["extent"] = self.extent
        return body

    def counts(self) -> dict:
        return {"hits": self.hits, "errors": self.errors, "firstError": self.first_error or None}


class Marks:
    """All marks that are set now, by id, and what to do when one is reached."""

    def __init__(self, session) -> None:
        self._session = session
        self._by_id: dict = {}
        self._by_path: dict = {}

    def of(self, path: str) -> list:
        """The marks of one file."""
        return self._by_path.get(path, [])

    def paths(self) -> list:
        return list(self._by_path)

    def all(self) -> list:
        return list(self._by_id.values())

    def counts(self) -> dict:
        """What every mark has counted: the answer to `amberMarks`."""
        return {"marks": [dict(mark.counts(), id=mark.id, route=mark.route or None) for mark in self.all()]}

    def replace(self, path: str, marks: list) -> None:
        """Set the marks of one file; marks that are not in the list are gone at once."""
        for mark in self._by_path.pop(path, []):
            self._by_id.pop(mark.id, None)
            mark.live = False
        if marks:
            self._by_path[path] = marks
        for mark in marks:
            mark.live = True
        # A mark of several functions is in several files, under one number.
        for mark in [mark for others in self._by_path.values() for mark in others]:
            self._by_id.setdefault(mark.id, mark)

    def clear(self) -> None:
        for mark in self._by_id.values():
            mark.live = False
        self._by_id.clear()
        self._by_path.clear()

    def reached(self, mark_id: int, frame, tested: bool) -> None:
        """A frame stands before the line of a mark. `tested`: its condition was true already."""
        mark = self._by_id.get(mark_id)
        if mark is None or self._session.is_busy(get_ident()) or not mark.takes_request():
            return
        if mark.test is not None and not tested and not self._holds(mark, frame):
            return
        if not mark.passes():
            return
        mark.hit.add()
        if mark.kind == "break":
            self._session.stop_at_mark(frame, mark)
        elif mark.kind == "log":
            self._tell_in(mark, frame)
        elif mark.kind == "follow":
            self._session.followed.pass_line(mark, frame)

    def _tell_in(self, mark: Mark, frame) -> None:
        ident = get_ident()
        self._session.set_busy(ident, True)
        try:
            self._session.hits.tell(mark, mark.told_in(frame))
        except Exception as error:
            self.failed(mark.id, error)
        finally:
            self._session.set_busy(ident, False)

    def _holds(self, mark: Mark, frame) -> bool:
        ident = get_ident()
        self._session.set_busy(ident, True)
        try:
            return mark.test.holds(frame)
        except Exception as error:
            self.failed(mark.id, error)
            return False
        finally:
            self._session.set_busy(ident, False)

    def failed(self, mark_id: int, error: BaseException) -> None:
        """An expression raised: count it, tell the first time, and do not stop."""
        mark = self._by_id.get(mark_id)
        if mark is None:
            return
        try:
            text = "%s: %s" % (type(error).__name__, str(error)[:300])
        except Exception:
            text = type(error).__name__
        if mark.failed():
            mark.first_error = text
            self._session.mark_changed(mark)
        if mark.kind == "log":
            # The line was passed, and this is why it says nothing.
            self._session.hits.tell(mark, (), text)


class Probe:
    """What stands in spliced code: `hit` before a marked line, `err` when its condition raised.

    Code that is still running after the marks are gone keeps calling it; it then does nothing.
    """

    __slots__ = ("_marks", "_computing")

    def __init__(self, marks: Marks) -> None:
        self._marks = marks
        # (mark, thread): whose expressions are being computed.
        self._computing: set = set()

    def silence(self) -> None:
        self._marks = None

    def hit(self, mark_id: int, tested: bool) -> None:
        marks = self._marks
        if marks is None:
            return
        try:
            marks.reached(mark_id, sys._getframe(1), tested)
        except RecursionError:
            if sys.version_info < (3, 9):
                raise
        except Exception as error:
            marks._session.trouble("a mark failed", error)

    def enter(self, mark_id: int) -> bool:
        """Whether a mark's expressions may be computed: not while they are, by what they call themselves."""
        key = (mark_id, get_ident())
        if key in self._computing:
            return False
        self._computing.add(key)
        return True

    def leave(self, mark_id: int) -> None:
        self._computing.discard((mark_id, get_ident()))

    def direct(self, mark: Mark):
        """What a counter's or logpoint's code calls itself, past the probe: it is called very often."""
        session = self._marks._session
        if mark.kind == "follow":
            return session.followed.follower(mark)
        return next if mark.kind == "count" else session.hits.teller(mark)

    def err(self, mark_id: int) -> None:
        marks = self._marks
        if marks is None:
            return
        try:
            marks.failed(mark_id, sys.exc_info()[1])
        except RecursionError:
            if sys.version_info < (3, 9):
                raise
        except Exception as error:
            marks._session.trouble("a mark failed", error)
