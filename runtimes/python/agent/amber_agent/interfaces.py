"""Applications that are known by their interface, where a server has nothing of its own to hold on to: ASGI by its
scope, WSGI by its environment (PEP 3333).
"""

from __future__ import annotations

import sys

from .content import Pieces, of_environ, of_pieces
from .served import Request, current


def around_application(served, application):
    """An ASGI application that serves each request of HTTP as one that is known."""

    async def known(scope, receive, send, *rest):
        if scope["type"] != "http":
            return await application(scope, receive, send, *rest)
        request = begun(served, lambda: from_scope(scope))
        if request is not None:
            receive, send = noting_body(receive, request), noting_answer(send, request)
        try:
            return await application(scope, receive, send, *rest)
        finally:
            safely(served, served.over, request)

    return known


def from_scope(scope: dict) -> Request:
    """The request of an ASGI scope of the type `http`."""
    query = scope.get("query_string") or b""
    target = scope["path"] + ("?" + query.decode("latin-1") if query else "")
    headers = dict(scope.get("headers") or ())

    def header(name: str):
        value = headers.get(name.lower().encode("latin-1"))
        return None if value is None else value.decode("latin-1")

    def every():
        return [(name.decode("latin-1"), value.decode("latin-1")) for name, value in scope.get("headers") or ()]

    request = Request(scope["method"], target, header, every)
    request.content = lambda: of_pieces(Pieces(), "", scope.get("session"))
    return request


def noting_body(receive, request: Request):
    """ASGI's `receive`, by which a program reads the body of a request."""
    pieces = Pieces()
    before = request.content

    def content() -> dict:
        return {**before(), **of_pieces(pieces, request.header("content-type") or "")}

    async def noting():
        message = await receive()
        if message["type"] == "http.request":
            pieces.add(message.get("body"))
        return message

    request.content = content
    return noting


def noting_answer(send, request: Request):
    """ASGI's `send`, which tells what is answered."""

    async def noting(message):
        if message["type"] == "http.response.start":
            request.status = int(message["status"])
            request.answered = [(_text(name), _text(value)) for name, value in message.get("headers") or ()]
        elif message["type"] == "http.response.body":
            note_piece(message.get("body"), request)
        return await send(message)

    return noting


def around_call(before, served):
    """`__call__` of a WSGI application."""

    def __call__(application, environ, start_response):
        safely(served, lambda: served.begin(_from_environ(environ)))

        def noting(status, headers, *rest):
            note_status(status, headers)
            return start_response(status, headers, *rest)

        try:
            answer = before(application, environ, noting)
        except BaseException:
            safely(served, served.end)
            raise
        if isinstance(answer, (list, tuple)) or hasattr(answer, "read"):
            # Nothing of the program runs any more: servers send files by themselves.
            safely(served, served.end)
            return answer
        return _Answer(answer, served)

    return __call__


class _Answer:
    """What an application answers, piece by piece; closed when it is over (PEP 3333)."""

    def __init__(self, pieces, served) -> None:
        self._pieces = pieces
        self._served = served

    def __iter__(self):
        for piece in self._pieces:
            note_piece(piece)
            yield piece

    def close(self) -> None:
        try:
            close = getattr(self._pieces, "close", None)
            if close is not None:
                close()
        finally:
            safely(self._served, self._served.end)


def _from_environ(environ: dict) -> Request:
    query = environ.get("QUERY_STRING")
    target = environ.get("SCRIPT_NAME", "") + environ.get("PATH_INFO", "") + ("?" + query if query else "")

    def header(name: str):
        name = name.upper().replace("-", "_")
        return environ.get(name if name in ("CONTENT_TYPE", "CONTENT_LENGTH") else "HTTP_" + name)

    def every():
        return [(name[5:].replace("_", "-"), value) for name, value in environ.items() if name.startswith("HTTP_")]

    request = Request(environ["REQUEST_METHOD"], target, header, every)
    request.content = lambda: of_environ(environ)
    return request


def _text(value) -> str:
    return value.decode("latin-1") if isinstance(value, bytes) else str(value)


def note_status(status, headers=()) -> None:
    """What is answered here, by its status line and headers (PEP 3333); of one without a number that is not known."""
    request = current()
    if request is not None and headers and isinstance(headers, (list, tuple)):
        request.answered = list(headers)
    if request is not None and isinstance(status, str) and status[:3].isdecimal():
        request.status = int(status[:3])


def note_piece(piece, request=None) -> None:
    """A piece of the body of an answer goes out."""
    request = request or current()
    if request is not None:
        if request.answer is None:
            request.answer = Pieces()
        request.answer.add(piece)


def note_program(program) -> None:
    """The object that a framework has made for the request that is served here."""
    request = current()
    if request is not None:
        request.program = program


def uwsgi_application():
    """What uWSGI calls for each request, or None: its options say where it has it from."""
    uwsgi = sys.modules.get("uwsgi")
    for option in ("module", "wsgi", "w", "wsgi-file", "file"):
        value = getattr(uwsgi, "opt", {}).get(option)
        if isinstance(value, bytes):
            name, _, callable_name = value.decode("utf-8", "replace").partition(":")
            by_file = "uwsgi_file_" + name.replace("/", "_").replace(".py", "")
            module = sys.modules.get(name) or sys.modules.get(by_file)
            return getattr(module, callable_name or "application", None)
    return None


def safely(served, step, *arguments) -> None:
    """Whatever fails in a step of ours, the server goes on."""
    try:
        step(*arguments)
    except Exception as error:
        served.trouble(error)


def begun(served, make):
    """The request that begins in this task, or None where it cannot be read."""
    try:
        request = make()
        served.begin(request)
        return request
    except Exception as error:
        served.trouble(error)
        return None
