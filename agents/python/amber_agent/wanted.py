"""What a client asks for, and the mark that stands for it."""

from __future__ import annotations

from .evaluate import Condition, syntax_text
from .hits import expressions_in
from .marks import HitRule, Mark
from .pattern import RequestPattern


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

    def make(self, path: str) -> None:
        self.mark = Mark(path, self.line, self)

    def describe(self) -> dict:
        if self.mark is None:
            return {"verified": False, "message": self.trouble, "reason": "failed"}
        body = self.mark.describe()
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


class WantedFunction(Wanted):
    """A function breakpoint: the same, once the function has been found."""

    def __init__(self, item: dict) -> None:
        self.name = item.get("name") or ""
        # The first and last line of the function, once it has been found.
        self.extent = None
        super().__init__(item, 0)

    def describe(self) -> dict:
        body = super().describe()
        if self.extent is not None and "amber" in body:
            body["amber"]["extent"] = self.extent
        return body
