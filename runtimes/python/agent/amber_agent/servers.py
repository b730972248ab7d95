"""The servers whose requests are known: where each begins to serve one, what it answers, and where it is over."""

from __future__ import annotations

import sys

from .content import of_environ
from .interfaces import (
    around_application,
    around_call,
    begun,
    from_scope,
    note_piece,
    note_program,
    note_status,
    noting_answer,
    noting_body,
    safely,
    uwsgi_application,
)
from .served import Request, current


def _after_parsing(before, served):
    """`BaseHTTPRequestHandler.parse_request`: called once for each request, by http.server, wsgiref and Werkzeug."""

    def parse_request(handler):
        good = before(handler)
        safely(served, (lambda: served.begin(_from_handler(handler))) if good else served.end)
        return good

    return parse_request


def _after_answering(before, served):
    """`BaseHTTPRequestHandler.handle_one_request`: between two requests of a connection none is served."""

    def handle_one_request(handler):
        # One that began on this connection before anybody was attached has just been answered.
        safely(served, served.end)
        try:
            return before(handler)
        finally:
            safely(served, served.end)

    return handle_one_request


def _at_finish(before, served):
    """`StreamRequestHandler.finish`: the connection is over, and with it the last request."""

    def finish(handler):
        try:
            return before(handler)
        finally:
            safely(served, served.end)

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


def _at_header(before, _served):
    """`BaseHTTPRequestHandler.send_header`, once for each that is answered."""

    def send_header(handler, keyword, value):
        request = current()
        if request is not None:
            request.answered = [*(request.answered or ()), (keyword, value)]
        return before(handler, keyword, value)

    return send_header


def _at_write(before, _served):
    """`write` of wsgiref's handlers and of gunicorn's Response: a piece of the body."""

    def write(response, piece):
        note_piece(piece)
        return before(response, piece)

    return write


def _around_dispatch(before, _served):
    """`BaseHandler.get_response` of Django: what it has made for the request."""

    def get_response(handler, program):
        note_program(program)
        return before(handler, program)

    return get_response


def _at_wsgi_headers(before, _served):
    """`BaseHandler.send_headers` of wsgiref: the status is known and about to be sent."""

    def send_headers(handler):
        note_status(handler.status)
        return before(handler)

    return send_headers


def _at_call(before, served):
    """`HTTPConnection.putheader` of http.client, which urllib and others stand on: who is asked in which span."""

    def putheader(connection, header, *values):
        request = current()
        if request is not None and isinstance(header, str) and header.lower() == "traceparent" and values:
            value = values[0].decode("latin-1") if isinstance(values[0], bytes) else str(values[0])
            safely(served, served.called, request, value)
        return before(connection, header, *values)

    return putheader


def _from_handler(handler) -> Request:
    request = Request(handler.command, handler.path, handler.headers.get, handler.headers.items)
    # Werkzeug keeps the environment that it has made from it.
    request.content = lambda: of_environ(getattr(handler, "environ", None) or {})
    return request


def _around_cycle(before, served):
    """`RequestResponseCycle.run_asgi` of uvicorn: a task of its own for each request."""

    async def run_asgi(cycle, app):
        def make() -> Request:
            request = from_scope(cycle.scope)
            cycle.receive, cycle.send = noting_body(cycle.receive, request), noting_answer(cycle.send, request)
            return request

        request = begun(served, make)
        try:
            return await before(cycle, app)
        finally:
            safely(served, served.over, request)

    return run_asgi


def _around_request(before, served):
    """`handle_request` of gunicorn's workers (synchronous, with threads, on greenlets): what has been parsed is among its arguments."""

    def handle_request(worker, *arguments):
        safely(served, lambda: served.begin(_from_message(next(item for item in arguments if hasattr(item, "uri")))))
        try:
            return before(worker, *arguments)
        finally:
            safely(served, served.end)

    return handle_request


def _from_message(message) -> Request:
    headers = {name.lower(): value for name, value in message.headers}
    return Request(message.method, message.uri, lambda name: headers.get(name.lower()), lambda: message.headers)


def _at_start_response(before, _served):
    """`start_response` of gunicorn's Response and of wsgiref's handlers: what the application answers (PEP 3333)."""

    def start_response(response, status, headers=(), *rest, **named):
        note_status(status, headers)
        return before(response, status, headers, *rest, **named)

    return start_response


def _around_task(before, served):
    """`WSGITask.execute` of waitress, in a thread of its pool."""

    def execute(task):
        def make() -> Request:
            request = _from_parser(task.request)
            request.content = lambda: of_environ(getattr(task, "environ", None) or {})
            return request

        safely(served, lambda: served.begin(make()))
        try:
            before(task)
            note_status(task.status)
        finally:
            safely(served, served.end)

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
        request = begun(served, lambda: Request(asked.method, asked.path_qs, asked.headers.get, asked.headers.items))
        safely(served, note_program, asked)
        try:
            answered = await before(handler, asked, *rest)
            if request is not None:
                request.status = getattr(answered[0], "status", None)
            return answered
        finally:
            safely(served, served.over, request)

    return _handle_request


def _around_execute(before, served):
    """`RequestHandler._execute` of tornado: a task of its own for each request."""

    async def _execute(handler, *arguments, **named):
        asked = handler.request
        request = begun(served, lambda: Request(asked.method, asked.uri, asked.headers.get, asked.headers.get_all))
        safely(served, note_program, asked)
        try:
            return await before(handler, *arguments, **named)
        finally:
            if request is not None:
                request.status = handler.get_status()
            safely(served, served.over, request)

    return _execute


def _around_creation(before, served):
    """`Server.create_application` of daphne, in the thread that has its event loop: what the application serves then."""

    def create_application(server, protocol, scope):
        application = server.application
        server.application = around_application(served, application)
        try:
            return before(server, protocol, scope)
        finally:
            server.application = application

    return create_application


def _around_spawning(before, served):
    """`TaskGroup.spawn_app` of hypercorn: a task of its own for each request."""

    async def spawn_app(group, application, *rest):
        # Of the two that ASGI has had this one is called with all three; the other is left as it is.
        is_old = getattr(sys.modules.get("hypercorn.utils"), "_is_asgi_2", lambda _application: False)
        known = application if is_old(application) else around_application(served, application)
        return await before(group, known, *rest)

    return spawn_app


def _uwsgi():
    """What is watched of uWSGI, which is written in C: the class of the application that it calls."""
    application = uwsgi_application()
    call = vars(type(application)).get("__call__")
    # A plain function has nothing that could be put before it.
    if call is not None and type(application).__module__ != "builtins":
        yield "uwsgi", type(application), "__call__", around_call


# Modules that are there without a server as well.
_NO_SERVERS = ("socketserver", "wsgiref.handlers", "http.client", "django.core.handlers.base")


def note(served) -> str:
    """What is to be said of a mark at requests."""
    known = "http.server and what stands on it, uvicorn, gunicorn, waitress, aiohttp, tornado, daphne, hypercorn, uWSGI (applications that are objects), Celery"
    return "" if served.knows(_NO_SERVERS) else "no server that is known is loaded yet: %s" % known


# The module, class and method of a server, and what stands in its place.
ENTRIES = (
    ("http.server", "BaseHTTPRequestHandler", "parse_request", _after_parsing),
    ("http.server", "BaseHTTPRequestHandler", "handle_one_request", _after_answering),
    ("http.server", "BaseHTTPRequestHandler", "send_response_only", _at_status),
    ("http.server", "BaseHTTPRequestHandler", "send_header", _at_header),
    ("socketserver", "StreamRequestHandler", "finish", _at_finish),
    ("wsgiref.handlers", "BaseHandler", "send_headers", _at_wsgi_headers),
    ("wsgiref.handlers", "BaseHandler", "start_response", _at_start_response),
    ("wsgiref.handlers", "BaseHandler", "write", _at_write),
    ("django.core.handlers.base", "BaseHandler", "get_response", _around_dispatch),
    ("django.core.handlers.base", "BaseHandler", "get_response_async", _around_dispatch),
    ("http.client", "HTTPConnection", "putheader", _at_call),
    ("gunicorn.workers.sync", "SyncWorker", "handle_request", _around_request),
    ("gunicorn.workers.gthread", "ThreadWorker", "handle_request", _around_request),
    ("gunicorn.workers.base_async", "AsyncWorker", "handle_request", _around_request),
    ("gunicorn.http.wsgi", "Response", "start_response", _at_start_response),
    ("gunicorn.http.wsgi", "Response", "write", _at_write),
    ("waitress.task", "WSGITask", "execute", _around_task),
    ("aiohttp.web_protocol", "RequestHandler", "_handle_request", _around_handler),
    ("tornado.web", "RequestHandler", "_execute", _around_execute),
    ("daphne.server", "Server", "create_application", _around_creation),
    ("hypercorn.asyncio.task_group", "TaskGroup", "spawn_app", _around_spawning),
    ("uvicorn.protocols.http.h11_impl", "RequestResponseCycle", "run_asgi", _around_cycle),
    ("uvicorn.protocols.http.httptools_impl", "RequestResponseCycle", "run_asgi", _around_cycle),
)


def known():
    """The servers that are imported by now: a name, what is watched of them, its attribute, what makes ours of that."""
    for module, cls, name, wrap in ENTRIES:
        owner = getattr(sys.modules.get(module), cls, None)
        if owner is not None and name in vars(owner):
            yield module, owner, name, wrap
    yield from _uwsgi()
