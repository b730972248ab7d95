"""Stopping where an error is raised.

`raised`: any error that reaches the project's code. `uncaught`: one that no code of the project catches,
which is a prediction from the `try` statements around the lines that are running.
On 3.12 and later this uses raise events, which cost nothing elsewhere. Before, every call is traced while
such a mark is on (5 to 8 times slower on code that calls a lot); it is off again with the mark.
"""

from __future__ import annotations

import ast
import os
import sys
import threading
from _thread import get_ident

from . import arming, events, quiet
from .live import real_path

_QUIET = (StopIteration, StopAsyncIteration, GeneratorExit)


class Filter:
    """One exception filter: `raised` or `uncaught`, for some types or (none given) for all."""

    def __init__(self, kind: str, condition: str) -> None:
        self.kind = kind
        self._types = [name.strip() for name in (condition or "").split(",") if name.strip()]

    def matches(self, error: BaseException) -> bool:
        if not self._types:
            return not isinstance(error, _QUIET)
        for cls in type(error).__mro__:
            full = "%s.%s" % (cls.__module__, cls.__qualname__)
            if any(name in (cls.__name__, cls.__qualname__, full) for name in self._types):
                return True
        return False


class Raised:
    """The exception filters of a session."""

    def __init__(self, session) -> None:
        self._session = session
        self._filters: list = []
        self._tracing = False
        self._hook_before = None
        self._tries: dict = {}
        # id(code) -> (code, {line: [mark id]}): marks that only tracing reaches. To hash code itself takes long.
        self._lines: dict = {}

    def set(self, filters: list) -> str:
        """Use these filters; returns a sentence about their cost, or ""."""
        self._filters = filters
        if events.available:
            if not self._session.events.watch_raises(bool(filters)):
                return "another tool holds all the tool ids of sys.monitoring"
            return ""
        self._settle()
        return self.cost() if filters else ""

    def watch_lines(self, lines: dict) -> None:
        """Before 3.12: report these lines, {code: {line: [mark id]}}, of code that no mark can be put into."""
        self._lines = {id(code): (code, here) for code, here in lines.items()}
        self._settle()

    @staticmethod
    def cost() -> str:
        """What it costs before 3.12, in a sentence."""
        note = "on Python %d.%d every call is traced while this is on: slower" % sys.version_info[:2]
        # There a thread can be traced only by itself (arming.py).
        return note if arming.available else note + "; only in threads that start from now on"

    def _settle(self) -> None:
        wanted = bool(self._filters or self._lines)
        if wanted != self._tracing:
            self._trace(wanted)

    def seen(self, frame, error: BaseException, trace) -> None:
        """An error was raised in `frame`, or passes through it; `trace` is its traceback up to here."""
        if not self._filters or self._session.is_ours(frame) or not isinstance(error, BaseException):
            return
        if trace is not None and (trace.tb_next is not None or trace.tb_frame is not frame):
            # On its way out: it was seen where it was raised.
            return
        if self._session.is_busy(get_ident()):
            return
        for filter_ in self._filters:
            if filter_.matches(error) and self._concerns(filter_, frame, error):
                self._session.stop_here(frame, "exception", exception=(error, filter_.kind))
                return

    def _concerns(self, filter_: Filter, frame, error: BaseException) -> bool:
        project = False
        while frame is not None:
            foreign = self._session.foreign.is_foreign(frame.f_code.co_filename)
            project = project or not foreign
            if self._catches(frame, error):
                # A library that handles its own error is nobody's business.
                return project and (filter_.kind == "raised" or foreign)
            frame = frame.f_back
        return True

    def _catches(self, frame, error: BaseException) -> bool:
        for body, handlers, suppressed in self._tries_of(frame.f_code.co_filename):
            if not body[0] <= frame.f_lineno <= body[1]:
                continue
            for types in handlers:
                if types is None or _type_matches(frame, types, error):
                    return True
            if any(_type_matches(frame, types, error) for types in suppressed):
                return True
        return False

    def _tries_of(self, filename: str) -> list:
        """[(first and last line, types of the handlers, types suppressed)] of a file; innermost last."""
        known = self._tries.get(filename)
        if known is None:
            known = []
            try:
                with open(_file_of(filename), "rb") as file:
                    tree = quiet.parse(file.read(), filename)
            except (OSError, SyntaxError, ValueError):
                tree = ast.Module(body=[], type_ignores=[])
            for node in ast.walk(tree):
                body = getattr(node, "body", None)
                if isinstance(node, ast.Try) and node.handlers:
                    handlers = [handler.type for handler in node.handlers]
                    known.append((_span(body), handlers, []))
                elif isinstance(node, ast.With):
                    suppressed = [item.context_expr for item in node.items]
                    types = [call.args for call in suppressed if _is_suppress(call)]
                    known.append((_span(body), [], [one for args in types for one in args]))
            self._tries[filename] = known
        return known

    # Before 3.12.

    def _trace(self, on: bool) -> None:
        self._tracing = on
        if not on:
            threading._trace_hook = self._hook_before
            for ident in list(sys._current_frames()):
                if ident != self._session.serving_ident:
                    arming.stop_tracing(ident)
            return
        self._hook_before = threading._trace_hook
        threading._trace_hook = self._call
        for ident in list(sys._current_frames()):
            if ident == self._session.serving_ident:
                continue
            stop = self._session.stops.get(ident)
            if stop is not None:
                stop.ask(None, lambda frame=stop.frame: self._start(frame))
            else:
                arming.call_in_thread(ident, self._start, self._session.event_failed)

    def _start(self, frame) -> None:
        if not self._tracing or sys.gettrace() is not None:
            return
        while frame is not None:
            if frame.f_trace is None:
                frame.f_trace = self._local
                frame.f_trace_lines = True
            frame = frame.f_back
        sys.settrace(self._call)

    def _call(self, frame, _event, _arg):
        if not self._tracing:
            sys.settrace(None)
            return None
        has_marks = id(frame.f_code) in self._lines
        if not has_marks and not self._filters:
            return None
        frame.f_trace_lines = has_marks
        return self._local

    def _local(self, frame, event, arg):
        if not self._tracing:
            sys.settrace(None)
            frame.f_trace_lines = True
            return None
        if event == "line":
            self._pass_line(frame)
            if frame.f_trace != self._local:
                return None
        if event == "exception":
            self.pass_on(frame, arg)
            if frame.f_trace != self._local:
                # The thread was stopped and steps now.
                return None
        return self._local

    def _pass_line(self, frame) -> None:
        try:
            _code, lines = self._lines.get(id(frame.f_code), (None, {}))
            for mark_id in lines.get(frame.f_lineno, ()):
                self._session.marks.reached(mark_id, frame, False)
        except Exception as error:
            self._session.trouble("a traced line failed", error)

    def is_tracer(self, function) -> bool:
        """Whether a thread's trace function is the one that looks for errors."""
        return self._tracing and function == self._call

    def pass_on(self, frame, arg) -> None:
        """An `exception` event of a trace function."""
        try:
            # Before 3.12 the error itself does not have its traceback yet.
            self.seen(frame, arg[1], arg[2])
        except Exception as error:
            self._session.trouble("an exception event failed", error)


def _file_of(filename: str) -> str:
    """The file of a code object; of the modules of the library that are part of the interpreter (3.11) the one beside the others."""
    if filename.startswith("<frozen "):
        name = filename[len("<frozen ") : -1].replace(".", os.sep)
        return os.path.join(os.path.dirname(os.path.abspath(ast.__file__)), name + ".py")
    return real_path(filename)


def _span(body: list) -> tuple:
    return body[0].lineno, max(node.end_lineno or node.lineno for node in body)


def _is_suppress(node: ast.expr) -> bool:
    if not isinstance(node, ast.Call):
        return False
    name = getattr(node.func, "attr", getattr(node.func, "id", ""))
    return name == "suppress"


def _type_matches(frame, node: ast.expr, error: BaseException) -> bool:
    try:
        types = _static(frame, node)
        return isinstance(error, types)
    except Exception:
        return False


def _static(frame, node: ast.expr):
    """The value of a name, a dotted name or a tuple of them, looked up without running anything."""
    if isinstance(node, ast.Tuple):
        return tuple(_static(frame, item) for item in node.elts)
    if isinstance(node, ast.Attribute):
        return getattr(_static(frame, node.value), node.attr)
    if isinstance(node, ast.Name):
        for scope in (frame.f_locals, frame.f_globals, frame.f_builtins):
            if node.id in scope:
                return scope[node.id]
    raise LookupError("not a name")
