"""`sys.monitoring` (3.12 and later): line events on marked code only, raises, and pausing a thread.

Unmarked lines of a marked code object answer DISABLE and cost nothing from then on.
"""

from __future__ import annotations

import sys
from _thread import get_ident

from .stack import innermost

monitoring = getattr(sys, "monitoring", None)
available = monitoring is not None


class Events:
    """The tool id of this agent, held only while something needs it."""

    def __init__(self, session) -> None:
        self._session = session
        self._tool = None
        # id(code) -> (code, {line: [mark id]}, first offsets of loop heads)
        self._lines: dict = {}
        self._pausing: set = set()
        self._raises = False

    def watch_lines(self, wanted: dict) -> None:
        """Have exactly these lines report: {code: {line: ([mark id], is a loop's head)}}."""
        if not available or (not wanted and self._tool is None):
            return
        if wanted and not self._take_tool():
            return
        fresh = {id(code): (code, lines) for code, lines in wanted.items()}
        for key, (code, _lines, _offsets) in self._lines.items():
            if key not in fresh:
                monitoring.set_local_events(self._tool, code, 0)
        self._lines = {
            key: (code, lines, {line: _first_offset(code, line) for line in lines})
            for key, (code, lines) in fresh.items()
        }
        for code, _lines in fresh.values():
            monitoring.set_local_events(self._tool, code, monitoring.events.LINE)
        # Lines that were disabled when they had no mark must report again.
        if fresh:
            monitoring.restart_events()
        self._settle()

    def pause(self, ident: int) -> bool:
        """Stop the thread before the next line it runs."""
        if not self._take_tool():
            return False
        self._pausing.add(ident)
        self._settle()
        monitoring.restart_events()
        return True

    def watch_raises(self, on: bool) -> bool:
        """Report every raise to the session, or no longer."""
        if on and not self._take_tool():
            return False
        self._raises = on
        self._settle()
        return True

    def close(self) -> None:
        """No event, no tool id, no callback left."""
        self._lines, self._pausing, self._raises = {}, set(), False
        self._settle()

    def _take_tool(self) -> bool:
        if self._tool is not None:
            return True
        if not available:
            return False
        for tool in (monitoring.DEBUGGER_ID, 3, 4):
            if monitoring.get_tool(tool) is None:
                try:
                    monitoring.use_tool_id(tool, "amber")
                except ValueError:
                    continue
                self._tool = tool
                monitoring.register_callback(tool, monitoring.events.LINE, self._on_line)
                monitoring.register_callback(tool, monitoring.events.RAISE, self._on_raise)
                return True
        return False

    def _settle(self) -> None:
        """Set the global events that are needed now; give the tool id back when nothing is."""
        if self._tool is None:
            return
        wanted = monitoring.events.LINE if self._pausing else 0
        if self._raises:
            wanted |= monitoring.events.RAISE
        monitoring.set_events(self._tool, wanted)
        if wanted or self._lines:
            return
        monitoring.register_callback(self._tool, monitoring.events.LINE, None)
        monitoring.register_callback(self._tool, monitoring.events.RAISE, None)
        monitoring.free_tool_id(self._tool)
        self._tool = None

    def _on_line(self, code, line: int):
        try:
            if self._pausing and get_ident() in self._pausing:
                frame = innermost(sys._getframe(1))
                if frame is not None and frame.f_code is code:
                    self._pausing.discard(get_ident())
                    self._settle()
                    self._session.stop_here(frame, "pause")
                    return None
            held = self._lines.get(id(code))
            if held is None or line not in held[1]:
                return None if self._pausing else monitoring.DISABLE
            marks, loop = held[1][line]
            frame = sys._getframe(1)
            if loop and frame.f_lasti != held[2][line]:
                return None
            for mark_id in marks:
                self._session.marks.reached(mark_id, frame, False)
        except Exception as error:
            self._session.trouble("a line event failed", error)
        return None

    def _on_raise(self, _code, _offset: int, error: BaseException):
        try:
            self._session.raised.seen(sys._getframe(1), error, error.__traceback__)
        except Exception as trouble:
            self._session.trouble("a raise event failed", trouble)
        return None


def _first_offset(code, line: int) -> int:
    """The offset at which `line` begins when it is reached from above."""
    return min((start for start, _end, at in code.co_lines() if at == line), default=-1)
