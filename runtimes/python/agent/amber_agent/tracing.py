"""Marks in frames that already run code without them, on Python 3.9 to 3.11.

The frame gets a local trace function and its thread a global one that looks at nothing else; both go when
the frame is left or the marks are.
"""

from __future__ import annotations

import sys

from . import arming


class FrameTracing:
    """The frames that are traced for their marks."""

    def __init__(self, session) -> None:
        self._session = session
        # id(frame) -> _Traced
        self._traced: dict = {}

    def watch(self, ident: int, frame, lines: dict) -> bool:
        """Report `lines` ({line: [mark id]}) of a running frame. Returns False where it cannot be done."""
        known = self._traced.get(id(frame))
        if known is not None:
            known.lines = lines
            return True
        traced = _Traced(self._session, ident, frame, lines, self._gone)
        stop = self._session.stops.get(ident)
        if stop is not None:
            # Paused in our hook: it starts to trace itself when it goes on.
            stop.ask(None, traced.install)
        elif not arming.call_in_thread(ident, lambda _frame: traced.install(), self._session.event_failed):
            return False
        self._traced[id(frame)] = traced
        return True

    def keep_only(self, frames: set) -> None:
        """Stop tracing every frame whose id is not in `frames`."""
        for key, traced in list(self._traced.items()):
            if key not in frames:
                del self._traced[key]
                traced.cancel()

    def _gone(self, frame) -> None:
        self._traced.pop(id(frame), None)


class _Traced:
    def __init__(self, session, ident: int, frame, lines: dict, gone) -> None:
        self._session = session
        self._ident = ident
        self._frame = frame
        self._gone = gone
        self._before = None
        self._active = True
        self.lines = lines

    def install(self) -> None:
        if not self._active:
            return
        self._before = sys.gettrace()
        self._frame.f_trace = self._local
        if self._before is None:
            sys.settrace(self._call)

    def cancel(self) -> None:
        """Stop from another thread."""
        self._active = False
        self._frame.f_trace = None
        if self._ident not in self._session.stops:
            arming.stop_tracing(self._ident)

    def _remove(self) -> None:
        self._active = False
        self._frame.f_trace = None
        if sys.gettrace() == self._call:
            sys.settrace(None)
        self._gone(self._frame)

    def _call(self, _frame, _event, _arg):
        if not self._active:
            sys.settrace(None)
        return None

    def _local(self, frame, event, _arg):
        if not self._active:
            self._remove()
            return None
        try:
            if event == "line":
                for mark_id in self.lines.get(frame.f_lineno, ()):
                    self._session.marks.reached(mark_id, frame, False)
            elif event == "return" and not self._session.is_suspending(frame):
                self._remove()
                return None
        except Exception as error:
            self._session.trouble("a traced line failed", error)
        return self._local
