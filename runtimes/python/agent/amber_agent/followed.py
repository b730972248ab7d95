"""Lines that are followed: at each, which variables of the function have changed since its line before.

A call is told from another by passing the first statement of its function: nothing of the program is kept alive
for that. Only of variables that may be different the value is looked at (effects.py), what has changed is seen by its
print, and only of that the text is made. Where nothing has, a line costs little more than counting it.
"""

from __future__ import annotations

import sys
from _thread import get_ident
from itertools import count
from time import perf_counter_ns
from types import FunctionType

from . import veil
from .effects import ANYTHING, NOTHING
from .hits import BATCH, MOST_WAITING, Step
from .prints import is_same, print_of
from .served import current
from .values import text_of, type_name
from .wire import quoted

# Calls that are remembered at once; of one that has waited for longer everything counts as changed.
MOST_CALLS = 2_000
# Characters of a value that are compared and told.
WIDTH = 200
_MODULE = "<module>"
_LAMBDA = "<lambda>"
_NOTHING = object()
# The names of the usual types, as JSON.
_TYPES = {kind: quoted(kind.__name__) for kind in (int, str, bool, float, list, dict, tuple, set, type(None))}
# Integers whose text is quickly made.
_SMALL = 1 << 53
# Values that nothing can change, and containers that nothing runs in when they are read or gone through.
_PLAIN = frozenset((int, float, complex, bool, str, bytes, type(None), range, type, FunctionType))
_QUIET = _PLAIN | frozenset((list, dict, tuple, set, frozenset))


class _Call:
    """A call of a followed function: its number, its function, the prints of its variables, and its last line."""

    __slots__ = ("number", "code", "name", "prints", "line", "used")

    def __init__(self, number: int, code: int, name: str) -> None:
        self.number = number
        # The identity of its code: a frame may lie where another has lain.
        self.code = code
        # As JSON: it goes with every line.
        self.name = name
        self.prints: dict = {}
        self.line = 0
        self.used = 0


class Followed:
    """What each running call of a followed function showed at its last line."""

    def __init__(self, session) -> None:
        self._session = session
        # identity of the frame -> its call
        self._calls: dict = {}
        self._numbers = count(1)
        # Names of variables: as JSON, and whether the veil hides them. Names of functions, as JSON.
        self._known: dict = {}
        self._names: dict = {}

    def follower(self, mark):
        """What stands in the spliced code of a followed line."""
        busy, serving = self._session.busy, self._session.serving_ident
        add, step = mark.hit.add, self._step

        def line() -> None:
            if mark.live:
                ident = get_ident()
                if ident not in busy and ident != serving:
                    add()
                    step(mark, sys._getframe(1), ident)

        return line

    def pass_line(self, mark, frame) -> None:
        """`frame` stands before the line of `mark`."""
        self._step(mark, frame, get_ident())

    def _step(self, mark, frame, ident: int) -> None:
        hits, now, limits = self._session.hits, perf_counter_ns(), mark.limits
        # As Limits.allow has it, without the call.
        if now >= limits.ends:
            limits.begin(now)
        opens = mark.opens or mark.has_lambdas and frame.f_code.co_name == _LAMBDA
        call = None if opens else self._calls.get(id(frame))
        if limits.told >= limits.until or len(hits.queue) >= MOST_WAITING:
            hits.leave_out(mark)
            if call is not None:
                # At the next line that is told anything may be different.
                call.line = 0
            return
        limits.told += 1
        changed = ""
        if call is None or call.code != id(frame.f_code):
            call = self._begin(frame)
            changed = self._looked(frame, call, ident, ANYTHING)
        else:
            effect = mark.after.get(call.line)
            if effect is None:
                effect = mark.after[call.line] = mark.effects.between(call.line, mark.line)
            if effect is not NOTHING:
                changed = self._looked(frame, call, ident, effect)
        call.line, call.used = mark.line, now
        queue = hits.queue
        queue.append((mark, now, ident, Step((call.number, call.name, changed)), current()))
        if len(queue) == 1 or len(queue) == BATCH:
            hits.wake()

    def _begin(self, frame) -> _Call:
        if len(self._calls) >= MOST_CALLS:
            # Half of them, so that it is seldom done: those that have waited longest.
            for key, _call in sorted(list(self._calls.items()), key=lambda each: each[1].used)[: MOST_CALLS // 2]:
                self._calls.pop(key, None)
        code = frame.f_code
        name = self._names.get(code.co_name) or self._names.setdefault(code.co_name, quoted(code.co_name))
        call = self._calls[id(frame)] = _Call(next(self._numbers), id(code), name)
        return call

    def _looked(self, frame, call: _Call, ident: int, effect):
        """What has changed, as members of an object of JSON; "" for nothing."""
        variables, prints = frame.f_locals, call.prints
        if effect is not ANYTHING:
            unsure = effect.asks and self._apart(ident, self._is_unsure, effect, variables, prints)
            if not unsure:
                return self._compared(effect.names, variables, prints, ident)
        return self._apart(ident, self._changed, frame, variables, prints)

    def _apart(self, ident: int, look, *arguments):
        """To look at values may run code of the program, in which no mark is passed."""
        self._session.set_busy(ident, True)
        try:
            return look(*arguments)
        finally:
            self._session.set_busy(ident, False)

    @staticmethod
    def _is_unsure(effect, variables, prints: dict) -> bool:
        """Whether, by the types that are there, something else than what is named may have changed."""
        for name in effect.joined:
            if type(variables.get(name)) not in _PLAIN:
                return True
        for name in effect.passed:
            if type(variables.get(name)) not in _QUIET:
                return True
        for name in effect.read:
            value = variables.get(name)
            if type(value) not in _QUIET and not is_same(prints.get(name, _NOTHING), print_of(value, WIDTH)):
                return True
        for name in effect.deep:
            if not is_same(prints.get(name, _NOTHING), print_of(variables.get(name), WIDTH)):
                return True
        return False

    def _compared(self, names, variables, prints: dict, ident: int) -> str:
        changed = ""
        for name in names:
            value = variables.get(name, _NOTHING)
            kind = type(value)
            if kind is int or kind is str and len(value) <= WIDTH or kind is bool or value is None:
                # What most variables are has itself as print, and its text needs no code of the program.
                before = prints.get(name, _NOTHING)
                if before is not value and (type(before) is not kind or before != value):
                    prints[name] = value
                    changed += self._told(name, value)
            elif value is not _NOTHING:
                changed += self._apart(ident, self._compare, name, value, prints)
        return changed

    def _changed(self, frame, variables, prints: dict) -> str:
        """All variables of a function that are not what they were; `prints` become those of now.

        Of a module only what is no function, class or module.
        """
        is_module = frame.f_code.co_name == _MODULE
        changed = ""
        for name, value in list(variables.items()) if is_module else variables.items():
            if is_module and (name.startswith("__") or callable(value) or type(value) is type(sys)):
                continue
            changed += self._compare(name, value, prints)
        return changed

    def _compare(self, name: str, value, prints: dict) -> str:
        before = prints.get(name, _NOTHING)
        if before is value:
            return ""
        now = print_of(value, WIDTH)
        if is_same(before, now):
            return ""
        prints[name] = now
        return self._told(name, value)

    def _told(self, name: str, value) -> str:
        """A variable as a member of an object of JSON, with a comma behind it."""
        known = self._known.get(name)
        if known is None:
            known = self._known[name] = (quoted(name), veil.current().hides_expression(name))
        key, is_hidden = known
        kind = type(value)
        if is_hidden:
            text = veil.HIDDEN
        elif kind is str:
            text = value
        else:
            text = str(value) if kind is int and -_SMALL < value < _SMALL else text_of(value, WIDTH)
        if len(text) > WIDTH:
            text = text[:WIDTH] + "…"
        return f"{key}:[{quoted(text)},{_TYPES.get(kind) or quoted(type_name(value))}],"
