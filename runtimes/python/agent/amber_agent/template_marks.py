"""Marks in templates: where they stand in the code that Jinja has made, and setting them in templates that come."""

from __future__ import annotations

import sys

from .codes import codes_inside
from .live import real_path
from .source import own_lines
from .templates import lines_of


def watched_in(live, marks: list, note: str) -> dict:
    """The lines of the code that carry marks, {code: {line: ([mark id], False)}}; None where it is no template's."""
    lines = next((found for found in (lines_of(function.__globals__) for function in live.functions) if found), None)
    if lines is None:
        return None
    watched: dict = {}
    codes = [(code, own_lines(code)) for code in codes_inside(live.codes())]
    for mark in marks:
        template, first, last = lines.span(mark.asked_line) or (0, 0, 0)
        places = [(line, at) for at, (_code, own) in enumerate(codes) for line in own if first <= line <= last]
        if not places:
            mark.reason = "there is no code at or after line %d" % mark.asked_line
            continue
        line, at = min(places)
        watched.setdefault(codes[at][0], {}).setdefault(line, ([], False))[0].append(mark.id)
        mark.line, mark.bound, mark.route = template, True, "engine"
        moved = "line %d has no code; the next is line %d; " % (mark.asked_line, mark.line) if mark.line != mark.asked_line else ""
        mark.note = "%sof the code that Jinja has made%s" % (moved, "; " + note if note else "")
    return watched


class Templates:
    """Marks in templates that are loaded while a client is attached."""

    def __init__(self, session) -> None:
        self._session = session
        self._before = None
        self._ours = None

    def look(self) -> None:
        """Watch Jinja as soon as it is imported."""
        owner = getattr(sys.modules.get("jinja2.environment"), "Template", None)
        if self._ours is not None or owner is None or not isinstance(vars(owner).get("_from_namespace"), classmethod):
            return
        before = vars(owner)["_from_namespace"]
        imports = self._session.imports

        def _from_namespace(cls, environment, namespace, values):
            made = before.__func__(cls, environment, namespace, values)
            file = namespace.get("__file__")
            if isinstance(file, str):
                imports.loaded(real_path(file))
            return made

        self._before, self._ours = before, classmethod(_from_namespace)
        owner._from_namespace = self._ours

    def remove(self) -> None:
        owner = getattr(sys.modules.get("jinja2.environment"), "Template", None)
        if owner is not None and vars(owner).get("_from_namespace") is self._ours and self._ours is not None:
            owner._from_namespace = self._before
        self._before = self._ours = None
