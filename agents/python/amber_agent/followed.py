"""Lines that are followed: at each, which variables of the function have changed since its line before.

A call is told from another by passing the first statement of its function: nothing of the program is kept alive
for that. What has changed is told by its text.
"""

from __future__ import annotations

import sys
from _thread import get_ident
from collections import OrderedDict
from itertools import count

from . import veil
from .values import text_of, type_name

# Calls that are remembered at once; of one that has waited for longer everything counts as changed.
MOST_CALLS = 2_000
# Characters of a value that are compared and told.
WIDTH = 200
_MODULE = "<module>"


class Followed:
    """What each running call of a followed function showed at its last line."""

    def __init__(self, session) -> None:
        self._session = session
        # (thread, frame's identity) -> (number of the call, texts by name)
        self._calls: OrderedDict = OrderedDict()
        self._numbers = count(1)

    def follower(self, mark):
        """What stands in the spliced code of a followed line."""

        def line() -> None:
            if mark.live and not self._session.is_busy(get_ident()):
                mark.hit.add()
                self.pass_line(mark, sys._getframe(1))

        return line

    def pass_line(self, mark, frame) -> None:
        """`frame` stands before the line of `mark`."""
        hits = self._session.hits
        if not hits.may_tell(mark):
            return
        ident = get_ident()
        self._session.set_busy(ident, True)
        try:
            key = (ident, id(frame))
            known = None if mark.opens else self._calls.get(key)
            number, before = known or (next(self._numbers), {})
            now = self._shown(frame)
            self._calls[key] = (number, now)
            self._calls.move_to_end(key)
            while len(self._calls) > MOST_CALLS:
                self._calls.popitem(last=False)
            changed = {name: value for name, value in now.items() if before.get(name) != value}
            hits.append(mark, [{"frame": number, "name": frame.f_code.co_name, "changed": changed}])
        finally:
            self._session.set_busy(ident, False)

    @staticmethod
    def _shown(frame) -> dict:
        """The variables of a function as texts with types. Of a module only what is no function, class or module."""
        code, hides = frame.f_code, veil.current().hides_expression
        is_module = code.co_name == _MODULE
        shown = {}
        for name, value in list(frame.f_locals.items()):
            if is_module and (name.startswith("__") or callable(value) or type(value) is type(sys)):
                continue
            if hides(name):
                shown[name] = (veil.HIDDEN, type_name(value))
            else:
                text = value if type(value) is str else text_of(value, WIDTH)
                shown[name] = (text if len(text) <= WIDTH else text[:WIDTH] + "…", type_name(value))
        return shown
