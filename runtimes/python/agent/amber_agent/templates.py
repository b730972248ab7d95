"""Templates that Jinja compiles: their code has the file name of the template and lines of its own, and says itself which
of these belongs to which line of the template (`debug_info`, jinja2.environment.Template).
"""

from __future__ import annotations

import re
import sys
from bisect import bisect_right

_LOCAL = re.compile(r"l_(\d+)_(\w+)")
_known: dict = {}


class Lines:
    """The lines of one template and of its code."""

    def __init__(self, info: str) -> None:
        pairs = [tuple(int(number) for number in pair.split("=")) for pair in info.split("&") if "=" in pair]
        # (line of the code, line of the template), in the order of the code.
        self._pairs = sorted((code, template) for template, code in pairs)
        self._starts = [code for code, _template in self._pairs]

    def shown(self, line: int):
        """The template's line for one of its code; None for what stands before the first."""
        at = bisect_right(self._starts, line)
        return self._pairs[at - 1][1] if at else None

    def begins(self, line: int) -> bool:
        """Whether a line of the code is where one of the template begins."""
        at = bisect_right(self._starts, line)
        return at > 0 and self._starts[at - 1] == line

    def span(self, line: int):
        """Where the code of a line of the template begins, or of the next that has some: (that line, first, last)."""
        later = [(template, code, at) for at, (code, template) in enumerate(self._pairs) if template >= line]
        if not later:
            return None
        template, code, at = min(later)
        after = self._starts[at + 1] if at + 1 < len(self._starts) else sys.maxsize
        return template, code, after - 1


def lines_of(scope: dict):
    """The lines of the template whose code sees these names; None where it is no template's."""
    info = scope.get("debug_info")
    if not isinstance(info, str) or "root" not in scope or "blocks" not in scope:
        return None
    known = _known.get(info)
    if known is None:
        known = _known[info] = Lines(info)
    return known


def line_of(frame):
    """The line on which a frame stands, as people count it; None in what a template's code does before its first line."""
    lines = lines_of(frame.f_globals)
    return frame.f_lineno if lines is None else lines.shown(frame.f_lineno)


def names_in(frame) -> dict:
    """What a template calls its variables, where a frame runs its code; empty elsewhere."""
    if lines_of(frame.f_globals) is None:
        return {}
    local = frame.f_locals
    context = local.get("context")
    found: dict = {}
    for part in ("parent", "vars"):
        values = getattr(context, part, None)
        found.update(values if isinstance(values, dict) else {})
    missing = frame.f_globals.get("missing")
    numbered = sorted((int(match.group(1)), match.group(2), name) for name in local for match in [_LOCAL.fullmatch(name)] if match)
    found.update((name, local[written]) for _depth, name, written in numbered if local[written] is not missing)
    return found
