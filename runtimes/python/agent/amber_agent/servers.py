"""The servers whose requests are known: where each begins to serve one, what it answers, and where it is over."""

from __future__ import annotations

from .served import Request, current


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


# Modules that are there without a server as well.
_NO_SERVERS = ("socketserver", "wsgiref.handlers", "http.client")


def note(served) -> str:
    """What is to be said of a mark at requests."""
    known = "http.server and what stands on it, uvicorn, gunicorn, waitress, aiohttp, tornado"
    return "" if served.knows(_NO_SERVERS) else "no server that is known is loaded yet: %s" % known


# The module, class and method of a server, and what stands in its place.
ENTRIES = (
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
