"""Which HTTP request is being served: kept in a context variable, which threads and tasks have of their own.

While somebody is attached the one method of a server through which its requests all go passes through us. It is
put back when the client goes. What a program does by itself, or hands to a thread of a pool, belongs to none.
"""

from __future__ import annotations

import sys
from _thread import get_ident
from contextvars import ContextVar
from itertools import count

_current: ContextVar = ContextVar("amber_request", default=None)
_ids = count(1)

# The request that is served here, or None. One call into C: every hit of a logpoint makes it.
current = _current.get


class Request:
    """A request; `told` says whether the client has been told of it."""

    __slots__ = ("id", "method", "target", "traceparent", "told")

    def __init__(self, method: str, target: str, traceparent) -> None:
        self.id = next(_ids)
        self.method = method
        self.target = target
        self.traceparent = traceparent
        self.told = False

    def describe(self) -> dict:
        return {"id": self.id, "method": self.method, "target": self.target, "traceparent": self.traceparent}


class Served:
    """The servers that are watched for a session, and the marks that stop at requests."""

    def __init__(self, session) -> None:
        self._session = session
        self.wanted: list = []
        self._first_lines: dict = {}
        # (module, class, attribute) -> (the class, what was there, what is there now)
        self._watched: dict = {}

    def look(self) -> None:
        """Watch the servers that are imported by now."""
        for module, cls, name, wrap in _ENTRIES:
            owner = getattr(sys.modules.get(module), cls, None)
            if owner is None or (module, cls, name) in self._watched or name not in vars(owner):
                continue
            before = vars(owner)[name]
            ours = wrap(before, self)
            self._watched[module, cls, name] = (owner, before, ours)
            setattr(owner, name, ours)

    def note(self) -> str:
        """What is to be said of a mark at requests."""
        servers = [module for module, _cls, _name in self._watched if module != "socketserver"]
        return "" if servers else "no server that is known is loaded yet: http.server and what stands on it, uvicorn"

    def remove(self) -> None:
        """Put everything back; whoever has replaced ours since keeps what is theirs."""
        self.wanted = []
        for first_line in self._first_lines.values():
            first_line.cancel()
        for (_module, _cls, name), (owner, before, ours) in self._watched.items():
            if vars(owner).get(name) is ours:
                setattr(owner, name, before)
        self._watched.clear()

    def begin(self, request) -> None:
        """A request begins here (None: the last one is over)."""
        _current.set(request)
        ident = get_ident()
        if request is None:
            first_line = self._first_lines.pop(ident, None)
            if first_line is not None:
                first_line.remove()
            return
        ids = [item.mark.id for item in self.wanted if item.mark is not None and item.matches(request)]
        if not ids:
            return
        self._first_lines.setdefault(ident, FirstLine(self._session)).expect(request, ids)

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


def _after_parsing(before, served):
    """`BaseHTTPRequestHandler.parse_request`: called once for each request, by http.server, wsgiref and Werkzeug."""

    def parse_request(handler):
        good = before(handler)
        try:
            served.begin(_from_handler(handler) if good else None)
        except Exception as error:
            served.trouble(error)
        return good

    return parse_request


def _at_finish(before, served):
    """`StreamRequestHandler.finish`: the connection is over, and with it the last request."""

    def finish(handler):
        served.begin(None)
        return before(handler)

    return finish


def _from_handler(handler) -> Request:
    return Request(handler.command, handler.path, handler.headers.get("traceparent"))


def _around_cycle(before, served):
    """`RequestResponseCycle.run_asgi` of uvicorn: a task of its own for each request."""

    async def run_asgi(cycle, app):
        try:
            served.begin(_from_scope(cycle.scope))
        except Exception as error:
            served.trouble(error)
        return await before(cycle, app)

    return run_asgi


def _from_scope(scope: dict) -> Request:
    query = scope.get("query_string") or b""
    target = scope["path"] + ("?" + query.decode("latin-1") if query else "")
    headers = dict(scope.get("headers") or ())
    traceparent = headers.get(b"traceparent")
    return Request(scope["method"], target, traceparent.decode("latin-1") if traceparent else None)


# The module, class and method of a server, and what stands in its place.
_ENTRIES = (
    ("http.server", "BaseHTTPRequestHandler", "parse_request", _after_parsing),
    ("socketserver", "StreamRequestHandler", "finish", _at_finish),
    ("uvicorn.protocols.http.h11_impl", "RequestResponseCycle", "run_asgi", _around_cycle),
    ("uvicorn.protocols.http.httptools_impl", "RequestResponseCycle", "run_asgi", _around_cycle),
)
