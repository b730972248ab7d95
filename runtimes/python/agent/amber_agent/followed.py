"""Lines that are followed: at each, which variables of the function have changed since its line before.

A call is told from another by passing the first statement of its function: nothing of the program is kept alive
for that. What has changed is seen by its print, and only of that the text is made.
"""

from __future__ import annotations

import sys
from _thread import get_ident
from collections import OrderedDict
from itertools import count

from . import veil
from .prints import is_same, print_of
from .values import text_of, type_name

# Calls that are remembered at once; of one that has waited for longer everything counts as changed.
MOST_CALLS = 2_000
# Characters of a value that are compared and told.
WIDTH = 200
_MODULE = "<module>"
_NOTHING = object()


class Followed:
    """What each running call of a followed function showed at its last line."""

    def __init__(self, session) -> None:
        self._session = session
        # (thread, frame's identity) -> (number of the call, prints by name)
        self._calls: OrderedDict = OrderedDict()
        self._numbers = count(1)
        # Names that have been asked about: whether the veil hides them.
        self._hidden: dict = {}

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
            if known is None:
                known = self._calls[key] = (next(self._numbers), {})
                while len(self._calls) > MOST_CALLS:
                    self._calls.popitem(last=False)
            else:
                self._calls.move_to_end(key)
            changed = self._changed(frame, known[1])
            hits.append(mark, [{"frame": known[0], "name": frame.f_code.co_name, "changed": changed}])
        finally:
            self._session.set_busy(ident, False)

    def _changed(self, frame, prints: dict) -> dict:
        """The variables of a function that are not what they were, as texts with types; `prints` become those of now.

        Of a module only what is no function, class or module.
        """
        is_module = frame.f_code.co_name == _MODULE
        changed = {}
        variables = frame.f_locals
        for name, value in list(variables.items()) if is_module else variables.items():
            before = prints.get(name, _NOTHING)
            if before is value:
                continue
            if is_module and (name.startswith("__") or callable(value) or type(value) is type(sys)):
                continue
            now = print_of(value, WIDTH)
            if is_same(before, now):
                continue
            prints[name] = now
            changed[name] = self._told(name, value)
        return changed

    def _told(self, name: str, value) -> tuple:
        if name not in self._hidden:
            self._hidden[name] = veil.current().hides_expression(name)
        if self._hidden[name]:
            return (veil.HIDDEN, type_name(value))
        text = value if type(value) is str else text_of(value, WIDTH)
        return (text if len(text) <= WIDTH else text[:WIDTH] + "…", type_name(value))
