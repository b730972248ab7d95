"""What a client asks for, and the mark that stands for it."""

from __future__ import annotations

import re

from .evaluate import Condition, syntax_text
from .hits import expressions_in
from .marks import HitRule, Mark
from .pattern import RequestPattern
from .sending import NAME as SENT, PARTS

_STATUS = re.compile(r"\b%s\s*\.\s*status\b" % SENT)


class Wanted:
    """A breakpoint that the client asks for, and the mark that stands for it."""

    def __init__(self, item: dict, line) -> None:
        self.line = line
        self.condition = (item.get("condition") or "").strip()
        self.rule = (item.get("hitCondition") or "").strip()
        ours = item.get("amber") or {}
        self.message = item.get("logMessage") or ""
        self.kind = ours.get("kind") or ("log" if self.message else "break")
        values = ours.get("values")
        self.values = [str(value).strip() for value in values] if values is not None else expressions_in(self.message)
        self.limits = ours.get("limits") or {}
        # The requests that it is for, as they were written; None: for everything that is run.
        self.only = ours.get("only") or None
        self.path = ""
        self.note = ""
        self.mark = None
        # Of a mark in a cell that was run once more: the mark in the cell that it is now.
        self.latest = None
        self.trouble = self._check()

    def _check(self) -> str:
        try:
            if self.condition:
                Condition(self.condition)
        except SyntaxError as error:
            return "the condition is %s" % syntax_text(error, self.condition)
        except ValueError as error:
            return "the condition is not an expression of Python: %s" % error
        for value in self.values:
            try:
                Condition(value)
            except (SyntaxError, ValueError) as error:
                text = syntax_text(error, value) if isinstance(error, SyntaxError) else str(error)
                return "{%s} is %s" % (value, text)
        try:
            if self.rule:
                HitRule(self.rule)
        except ValueError as error:
            return str(error)
        if not isinstance(self.line, int):
            return "a breakpoint needs a line"
        return ""

    def adopt(self, mark: Mark) -> bool:
        """Take a mark that is there already, so that its counts are kept."""
        self.mark = mark
        return True

    def make(self, path: str) -> None:
        self.mark = Mark(path, self.line, self)

    def describe(self) -> dict:
        if self.mark is None:
            return {"verified": False, "message": self.trouble, "reason": "failed"}
        mark = self.mark if self.mark.bound or self.latest is None else self.latest
        body = mark.describe()
        if self.note and "message" not in body:
            body["message"] = self.note
        return body


class WantedRequest(Wanted):
    """The first line of the project's code that serves a request like this one."""

    # Where such marks stand among those of files.
    PATH = "<requests>"

    def __init__(self, item: dict) -> None:
        super().__init__(item, 0)
        self._requests = RequestPattern(item)
        self.matches = self._requests.matches
        # What stands where other marks have the path of their file.
        self.place = "%s %s" % (self._requests.method, self._requests.path)


class WantedSend(Wanted):
    """Where the project's code sends a request like this one."""

    PATH = "<sends>"

    def __init__(self, item: dict) -> None:
        self._method = str(item.get("method") or "*").upper()
        self._address = re.compile(str(item.get("matches") or ""), re.S)
        self.place = "%s %s" % (self._method, item.get("url") or "*")
        super().__init__(item, 0)
        # A part alone is that of what is sent.
        self.values = ["%s.%s" % (SENT, value) if value in PARTS else value for value in self.values]
        # Whether it is looked at when the answer is there.
        self.asks_answer = any(_STATUS.search(text) for text in [self.condition] + self.values)

    def matches(self, sending) -> bool:
        return self._method in ("*", sending.method) and self._address.search(sending.url) is not None


class WantedFunction(Wanted):
    """A function breakpoint: a mark in every function of that name."""

    def __init__(self, item: dict) -> None:
        # `Desk#quote` is how others write it.
        self.name = (item.get("name") or "").replace("#", ".")
        # By which it is known before any function of that name is there.
        self.id = Mark.next_id()
        self.places: list = []
        # A mark whose number and counts go on when its function is replaced by another one of its name.
        self.origin = None
        super().__init__(item, 0)

    def keep_counts(self) -> None:
        self.origin = next((place.mark for place in self.places if place.mark is not None), self.origin)

    def add(self, path: str, line: int, extent) -> None:
        self.places.append(FunctionPlace(self, path, line, extent))

    def describe(self) -> dict:
        if self.trouble:
            return super().describe()
        marks = [place.mark for place in self.places if place.mark is not None]
        if not marks:
            body = {"id": self.id, "verified": False, "reason": "pending", "message": "no function of this name is loaded yet"}
            body["amber"] = {"route": None, "note": None, "hits": 0, "errors": 0, "firstError": None}
            return body
        mark = next((mark for mark in marks if mark.bound), marks[0])
        mark.namesakes = len(marks)
        return mark.describe()


class FunctionPlace:
    """One of the functions of a name; what is asked for there is what was asked for by that name."""

    def __init__(self, wanted: WantedFunction, path: str, line: int, extent) -> None:
        self._wanted = wanted
        self.path = path
        self.line = line
        self.extent = extent
        self.mark = None

    def __getattr__(self, name: str):
        return getattr(self._wanted, name)

    def adopt(self, mark: Mark) -> bool:
        """Take a mark that is there already, unless it is known under another number than the others of this name."""
        others = {place.mark.id for place in self._wanted.places if place.mark is not None}
        if others - {mark.id}:
            return False
        self.mark, mark.extent = mark, self.extent
        self._wanted.id = mark.id
        return True

    def make(self, path: str) -> None:
        first = next((place.mark for place in self._wanted.places if place.mark is not None), self._wanted.origin)
        self.mark = Mark(path, self.line, self, self._wanted.id) if first is None else first.twin(path, self.line)
        self.mark.extent = self.extent
