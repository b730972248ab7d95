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

    __slots__ = ("id", "method", "target", "traceparent", "header", "headers", "at", "status", "told", "is_over", "hits")

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
        # Where its end is told: a server that waits may still be in the hook of a client that has left.
        self.hits = None

    def describe(self) -> dict:
        return {"id": self.id, "method": self.method, "target": self.target, "traceparent": self.traceparent}


class Served:
    """The servers that are watched for a session, and the marks that stop at requests."""

    def __init__(self, session) -> None:
        self._session = session
        self.wanted: list = []
        self._first_lines: dict = {}
        self._open: set = set()
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
        servers = [module for module, _cls, _name in self._watched if module not in ("socketserver", "wsgiref.handlers", "http.client")]
        return "" if servers else "no server that is known is loaded yet: %s" % _SERVERS

    def remove(self) -> None:
        """Put everything back; whoever has replaced ours since keeps what is theirs."""
        self.wanted = []
        for first_line in self._first_lines.values():
            first_line.cancel()
        for (_module, _cls, name), (owner, before, ours) in self._watched.items():
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


def _safely(served, step, *arguments) -> None:
    """Whatever fails in a step of ours, the server goes on."""
    try:
        step(*arguments)
    except Exception as error:
        served.trouble(error)


def _after_parsing(before, served):
    """`BaseHTTPRequestHandler.parse_request`: called once for each request, by http.server, wsgiref and Werkzeug."""

    def parse_request(handler):
        good = before(handler)
        _safely(served, (lambda: served.begin(_from_handler(handler))) if good else served.end)
        return good

    return parse_request


def _after_answering(before, served):
    """`BaseHTTPRequestHandler.handle_one_request`: between two requests of a connection none is served."""

    def handle_one_request(handler):
        # One that began on this connection before anybody was attached has just been answered.
        _safely(served, served.end)
        try:
            return before(handler)
        finally:
            _safely(served, served.end)

    return handle_one_request


def _at_finish(before, served):
    """`StreamRequestHandler.finish`: the connection is over, and with it the last request."""

    def finish(handler):
        try:
            return before(handler)
        finally:
            _safely(served, served.end)

    return finish


def _at_status(before, _served):
    """`BaseHTTPRequestHandler.send_response_only`: what http.server and Werkzeug answer."""

    def send_response_only(handler, code, *rest, **named):
        request = current()
        if request is not None:
            # A number of an enumeration of HTTP's is no plain integer to JSON.
            request.status = int(code)
        return before(handler, code, *rest, **named)

    return send_response_only


def _note_status(status) -> None:
    """What is answered here, by its status line (PEP 3333); of one without a number that is not known."""
    request = current()
    if request is not None and isinstance(status, str) and status[:3].isdecimal():
        request.status = int(status[:3])


def _at_wsgi_headers(before, _served):
    """`BaseHandler.send_headers` of wsgiref: the status is known and about to be sent."""

    def send_headers(handler):
        _note_status(handler.status)
        return before(handler)

    return send_headers


def _at_call(before, served):
    """`HTTPConnection.putheader` of http.client, which urllib and others stand on: who is asked in which span."""

    def putheader(connection, header, *values):
        request = current()
        if request is not None and isinstance(header, str) and header.lower() == "traceparent" and values:
            value = values[0].decode("latin-1") if isinstance(values[0], bytes) else str(values[0])
            _safely(served, served.called, request, value)
        return before(connection, header, *values)

    return putheader


def _from_handler(handler) -> Request:
    return Request(handler.command, handler.path, handler.headers.get, handler.headers.items)


def _around_cycle(before, served):
    """`RequestResponseCycle.run_asgi` of uvicorn: a task of its own for each request."""

    async def run_asgi(cycle, app):
        def make() -> Request:
            request = _from_scope(cycle.scope)
            cycle.send = _noting_status(cycle.send, request)
            return request

        request = _begun(served, make)
        try:
            return await before(cycle, app)
        finally:
            _safely(served, served.over, request)

    return run_asgi


def _noting_status(send, request: Request):
    async def noting(message):
        if message["type"] == "http.response.start":
            request.status = int(message["status"])
        return await send(message)

    return noting


def _from_scope(scope: dict) -> Request:
    query = scope.get("query_string") or b""
    target = scope["path"] + ("?" + query.decode("latin-1") if query else "")
    headers = dict(scope.get("headers") or ())

    def header(name: str):
        value = headers.get(name.lower().encode("latin-1"))
        return None if value is None else value.decode("latin-1")

    def every():
        return [(name.decode("latin-1"), value.decode("latin-1")) for name, value in scope.get("headers") or ()]

    return Request(scope["method"], target, header, every)


def _around_request(before, served):
    """`handle_request` of gunicorn's workers (synchronous, with threads, on greenlets): what has been parsed is among its arguments."""

    def handle_request(worker, *arguments):
        _safely(served, lambda: served.begin(_from_message(next(item for item in arguments if hasattr(item, "uri")))))
        try:
            return before(worker, *arguments)
        finally:
            _safely(served, served.end)

    return handle_request


def _from_message(message) -> Request:
    headers = {name.lower(): value for name, value in message.headers}
    return Request(message.method, message.uri, lambda name: headers.get(name.lower()), lambda: message.headers)


def _at_start_response(before, _served):
    """`Response.start_response` of gunicorn: what the application answers (PEP 3333)."""

    def start_response(response, status, *rest, **named):
        _note_status(status)
        return before(response, status, *rest, **named)

    return start_response


def _around_task(before, served):
    """`WSGITask.execute` of waitress, in a thread of its pool."""

    def execute(task):
        _safely(served, lambda: served.begin(_from_parser(task.request)))
        try:
            before(task)
            _note_status(task.status)
        finally:
            _safely(served, served.end)

    return execute


def _from_parser(parser) -> Request:
    method, target = parser.first_line.decode("latin-1").split(" ")[:2]
    headers = parser.headers
    return Request(
        method,
        target,
        lambda name: headers.get(name.upper().replace("-", "_")),
        lambda: [(name.replace("_", "-"), value) for name, value in headers.items()],
    )


def _around_handler(before, served):
    """`RequestHandler._handle_request` of aiohttp: a task of its own for each request."""

    async def _handle_request(handler, asked, *rest):
        request = _begun(served, lambda: Request(asked.method, asked.path_qs, asked.headers.get, asked.headers.items))
        try:
            answered = await before(handler, asked, *rest)
            if request is not None:
                request.status = getattr(answered[0], "status", None)
            return answered
        finally:
            _safely(served, served.over, request)

    return _handle_request


def _around_execute(before, served):
    """`RequestHandler._execute` of tornado: a task of its own for each request."""

    async def _execute(handler, *arguments, **named):
        asked = handler.request
        request = _begun(served, lambda: Request(asked.method, asked.uri, asked.headers.get, asked.headers.get_all))
        try:
            return await before(handler, *arguments, **named)
        finally:
            if request is not None:
                request.status = handler.get_status()
            _safely(served, served.over, request)

    return _execute


def _begun(served, make):
    """The request that begins in this task, or None where it cannot be read."""
    try:
        request = make()
        served.begin(request)
        return request
    except Exception as error:
        served.trouble(error)
        return None


_SERVERS = "http.server and what stands on it, uvicorn, gunicorn, waitress, aiohttp, tornado"

# The module, class and method of a server, and what stands in its place.
_ENTRIES = (
    ("http.server", "BaseHTTPRequestHandler", "parse_request", _after_parsing),
    ("http.server", "BaseHTTPRequestHandler", "handle_one_request", _after_answering),
    ("http.server", "BaseHTTPRequestHandler", "send_response_only", _at_status),
    ("socketserver", "StreamRequestHandler", "finish", _at_finish),
    ("wsgiref.handlers", "BaseHandler", "send_headers", _at_wsgi_headers),
    ("http.client", "HTTPConnection", "putheader", _at_call),
    ("gunicorn.workers.sync", "SyncWorker", "handle_request", _around_request),
    ("gunicorn.workers.gthread", "ThreadWorker", "handle_request", _around_request),
    ("gunicorn.workers.base_async", "AsyncWorker", "handle_request", _around_request),
    ("gunicorn.http.wsgi", "Response", "start_response", _at_start_response),
    ("waitress.task", "WSGITask", "execute", _around_task),
    ("aiohttp.web_protocol", "RequestHandler", "_handle_request", _around_handler),
    ("tornado.web", "RequestHandler", "_execute", _around_execute),
    ("uvicorn.protocols.http.h11_impl", "RequestResponseCycle", "run_asgi", _around_cycle),
    ("uvicorn.protocols.http.httptools_impl", "RequestResponseCycle", "run_asgi", _around_cycle),
)
