"""Which HTTP request is being served: kept in a context variable, which threads and tasks have of their own.

While somebody is attached the one method of a server through which its requests all go passes through us. It is
put back when the client goes. What a program does by itself, or hands to a thread of a pool, belongs to none.
"""

from __future__ import annotations

import sys
from _thread import get_ident
from contextvars import ContextVar
from itertools import count
from time import perf_counter_ns

_current: ContextVar = ContextVar("amber_request", default=None)
_ids = count(1)

# The request that is served here, or None. One call into C: every hit of a logpoint makes it.
current = _current.get


class Request:
    """A request; `told` says whether the client has been told of it.

    `header` gives a header by its name, `headers` all of them as pairs, when they are asked for.
    """

    __slots__ = (
        "id",
        "method",
        "target",
        "traceparent",
        "header",
        "headers",
        "at",
        "status",
        "told",
        "is_over",
        "hits",
        "carried",
        "answered",
        "answer",
        "content",
        "program",
    )

    def __init__(self, method: str, target: str, header, headers) -> None:
        self.id = next(_ids)
        self.method = method
        self.target = target
        self.header = header
        self.headers = headers
        self.traceparent = header("traceparent")
        self.at = perf_counter_ns()
        # What was answered, as far as that is known.
        self.status = None
        self.told = False
        self.is_over = False
        # The headers of the answer as pairs, once the program has given them; and what has gone by of its body (Pieces).
        self.answered = None
        self.answer = None
        # Gives what is known of its body; and the object that a framework has made for it.
        self.content = None
        self.program = None
        # What it carries, for expressions that ask for it.
        self.carried = None
        # Where its end is told: a server that waits may still be in the hook of a client that has left.
        self.hits = None

    def describe(self) -> dict:
        return {"id": self.id, "method": self.method, "target": self.target, "traceparent": self.traceparent}


class Served:
    """The servers that are watched for a session, and the marks that stop at requests."""

    def __init__(self, session, servers, jobs) -> None:
        self._session = session
        # Gives what is there of servers now: a name, the owner, its attribute, what makes ours of what is there.
        self._known = servers
        self.wanted: list = []
        self._first_lines: dict = {}
        self._open: set = set()
        # (name, owner, attribute) -> (what was there, what is there now)
        self._watched: dict = {}
        self._jobs = jobs(self)

    def look(self) -> None:
        """Watch the servers that are imported by now."""
        for server, owner, name, wrap in self._known():
            if (server, owner, name) not in self._watched:
                before = vars(owner)[name]
                ours = wrap(before, self)
                self._watched[server, owner, name] = (before, ours)
                setattr(owner, name, ours)
        self._jobs.look()

    def knows(self, ignored) -> bool:
        """Whether a server is watched, and not only what some stand on."""
        return self._jobs.is_known or any(server not in ignored for server, _owner, _name in self._watched)

    def remove(self) -> None:
        """Put everything back; whoever has replaced ours since keeps what is theirs."""
        self.wanted = []
        for first_line in self._first_lines.values():
            first_line.cancel()
        self._jobs.remove()
        for (_server, owner, name), (before, ours) in self._watched.items():
            if vars(owner).get(name) is ours:
                setattr(owner, name, before)
        self._watched.clear()
        self._open.clear()

    def end(self) -> None:
        """The request that is served here, if any, is over."""
        self.over(current())
        _current.set(None)
        first_line = self._first_lines.pop(get_ident(), None)
        if first_line is not None:
            first_line.remove()

    def over(self, request) -> None:
        """A request has been answered, or never will be."""
        if request is not None and not request.is_over:
            request.is_over = True
            self._open.discard(request)
            if request.hits is not None:
                request.hits.ended(request)

    def begin(self, request: Request) -> None:
        """A request begins here; one before it on the same connection is over."""
        self.over(current())
        _current.set(request)
        self._open.add(request)
        request.hits = self._session.hits
        request.hits.begun(request)
        ident = get_ident()
        ids = [item.mark.id for item in self.wanted if item.mark is not None and item.matches(request)]
        if not ids:
            return
        self._first_lines.setdefault(ident, FirstLine(self._session)).expect(request, ids)

    def others(self) -> int:
        """How many requests that have begun, besides the one that is served here, have not been answered."""
        return len(self._open - {current()})

    def called(self, request: Request, traceparent: str) -> None:
        """A request asks another service."""
        self._session.hits.called(request, traceparent)

    def trouble(self, error: BaseException) -> None:
        self._session.trouble("reading a request failed", error)


class FirstLine:
    """Waits in one thread for the first line of the project's code that serves a request, by tracing its calls."""

    def __init__(self, session) -> None:
        self._session = session
        # request -> ids of marks; tasks of one thread may begin several before the first has come to its line.
        self._expected: dict = {}
        self._before = None
        self.active = False

    def expect(self, request: Request, ids: list) -> None:
        self._expected[request] = ids
        if not self.active:
            self.active = True
            self._before = sys.gettrace()
            sys.settrace(self._call)

    def remove(self) -> None:
        if self.active:
            self.active = False
            self._expected.clear()
            sys.settrace(self._before)

    def cancel(self) -> None:
        """End from another thread: tracing is taken out at the next call of this one."""
        self._expected.clear()

    def _call(self, frame, _event, _arg):
        if not self._expected:
            self.remove()
            return None
        if current() not in self._expected or self._session.is_ours(frame):
            return None
        path = frame.f_code.co_filename
        # What frameworks generate has no file; it is not the project's.
        return None if path.startswith("<") or self._session.foreign.is_foreign(path) else self._line

    def _line(self, frame, event, _arg):
        if event != "line":
            return self._line
        frame.f_trace = None
        ids = self._expected.pop(current(), ())
        if not self._expected:
            self.remove()
        try:
            for mark_id in ids:
                self._session.marks.reached(mark_id, frame, False)
        except Exception as error:
            self._session.served.trouble(error)
        return None
