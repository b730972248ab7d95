"""Stepping one thread with `sys.settrace`, which is on in that thread only and only while it steps.

The frames on the stack get a local trace function each; frames called from there are looked at only
when stepping into. Facts about the events are CPython's (`sys.settrace` in the library reference).
"""

from __future__ import annotations

import sys
from opcode import opname

from . import arming, cells
from .templates import lines_of

_GENERATOR = 0x20
_RESUMABLE = 0x20 | 0x80 | 0x200  # generator, coroutine, asynchronous generator
_SUSPENDING = ("YIELD_VALUE", "YIELD_FROM", "SEND", "INSTRUMENTED_YIELD_VALUE")


class Stepper:
    """One step of one thread; it takes itself out at the end of it."""

    def __init__(self, session, frame, mode: str, anywhere: bool, ident: int) -> None:
        self._session = session
        self._ident = ident
        self._origin = frame
        self._line = frame.f_lineno
        self._mode = mode
        self._outside = anywhere or session.foreign.is_foreign(frame.f_code.co_filename)
        self._fresh = True
        self._returned = False
        self._raising = False
        # The cell whose next statement is stepped to, and the frame that runs its statements one after the other.
        self._cell = None
        self._runner = None
        self._touched: list = []
        self._before = None
        self.active = False
        # The step before ended on a marked line; its mark must not stop the thread a second time.
        self.came_by_step = False

    def has_stopped_at(self, frame) -> bool:
        """Whether `frame` still stands before the line where the previous step stopped."""
        return self.came_by_step and self._fresh and frame is self._origin and frame.f_lineno == self._line

    def install(self) -> None:
        """Start, in the thread that is to step."""
        self._before = sys.gettrace()
        frame = self._origin
        while frame is not None:
            self._touch(frame)
            frame.f_trace = self._local
            frame = frame.f_back
        self.active = True
        sys.settrace(self._call)

    def remove(self) -> None:
        """End, in the thread that steps: tracing is what it was before."""
        self.active = False
        self._put_back()
        sys.settrace(self._before)

    def _touch(self, frame) -> None:
        self._touched.append((frame, frame.f_trace, frame.f_trace_lines))
        # Frames that are traced for their errors only have no lines (raised.py).
        frame.f_trace_lines = True

    def _put_back(self) -> None:
        for frame, before, has_lines in self._touched:
            frame.f_trace, frame.f_trace_lines = before, has_lines
        self._touched = []

    def cancel(self) -> None:
        """End from another thread: at once where that can be done, else at the thread's next event."""
        self.active = False
        if self._before is None and arming.stop_tracing(self._ident):
            self._put_back()

    def _call(self, frame, event, arg):
        if self._session.is_ours(frame):
            return None
        self._fresh = False
        if not self.active or self._mode == "settle":
            self.remove()
            return None
        if frame is self._origin:
            return self._local
        if self._cell is not None and is_statement(frame.f_code, self._cell):
            self._touch(frame)
            return self._local
        if self._session.raised.is_tracer(self._before):
            # What is called while the thread steps may raise what is to be stopped at.
            frame.f_trace = self._before(frame, event, arg)
        if self._mode == "into" and (
            self._outside or not self._session.foreign.is_foreign(frame.f_code.co_filename)
        ):
            self._touch(frame)
            return self._local
        return frame.f_trace

    def _local(self, frame, event, arg):
        if not self.active:
            self.remove()
            return None
        if event == "line":
            return self._at_line(frame)
        if self._mode == "settle":
            self.remove()
            return None
        if event == "exception" and self._session.raised.is_tracer(self._before):
            self._session.raised.pass_on(frame, arg)
            if not self.active:
                return None
        if frame is self._origin:
            if event == "exception":
                self._raising = True
            elif event == "return":
                self._at_return(frame)
        elif frame is self._runner and event == "return" and not is_suspending(frame):
            self._cell = self._runner = None
            self._look_out(frame)
        elif event == "return" and self._returned:
            self._leaves_statement(frame)
        return self._local if self.active else None

    def _at_line(self, frame):
        if frame is self._origin:
            self._raising = False
            # 3.11 reports the line of the stop once more; a spliced line is reported at its start.
            if self._fresh and frame.f_lineno == self._line:
                return self._local
            self._fresh = False
        if self._mode == "settle":
            self.remove()
            return None
        if not self._ends_at(frame):
            return self._local
        self.remove()
        self._session.stop_after_step(frame)
        return None

    def _ends_at(self, frame) -> bool:
        if frame is self._origin:
            return self._mode != "out" and _begins_line(frame)
        if self._session.is_ours(frame) or not _begins_line(frame):
            return False
        if self._cell is not None:
            return is_statement(frame.f_code, self._cell)
        foreign = self._session.foreign.is_foreign(frame.f_code.co_filename)
        if foreign and not self._outside:
            return False
        return self._returned or self._mode == "into"

    def _at_return(self, frame) -> None:
        if is_suspending(frame, self._raising) and not frame.f_code.co_flags & _GENERATOR:
            # Waiting at an await: the step ends when this very frame goes on.
            return
        self._returned = True
        is_over = not is_suspending(frame, self._raising)
        if is_over and (self._mode == "out" or not self._leaves_statement(frame)):
            self._look_out(frame)

    def _leaves_statement(self, frame) -> bool:
        """Whether a frame that returns is of a statement of a cell; the next one is stepped to then."""
        cell = cells.name_of(frame.f_code.co_filename)
        if cell is None or not is_statement(frame.f_code, cell) or is_suspending(frame, self._raising):
            return False
        self._cell, self._runner = cell, self._session.cell_runs.runner_of(frame)
        return True

    def _look_out(self, frame) -> None:
        """A frame is left: the thread just runs on where nothing of the project is left to step to."""
        outer = frame.f_back
        while outer is not None:
            if not self._session.is_ours(outer) and (
                self._outside or not self._session.foreign.is_foreign(outer.f_code.co_filename)
            ):
                return
            outer = outer.f_back
        self.remove()


def is_statement(code, cell: str) -> bool:
    """Whether it is code of a statement of a cell."""
    return code.co_name == "<module>" and cells.name_of(code.co_filename) == cell


def _begins_line(frame) -> bool:
    """Of a template's code several lines are one of the template."""
    lines = lines_of(frame.f_globals)
    return lines is None or lines.begins(frame.f_lineno)


def is_suspending(frame, raising: bool = False) -> bool:
    """Whether a `return` event means that a generator or coroutine waits rather than ends."""
    code = frame.f_code
    if not code.co_flags & _RESUMABLE or raising or frame.f_lasti < 0:
        return False
    return opname[code.co_code[frame.f_lasti]] in _SUSPENDING
