"""What a program has read of a request's body, and made of it: its form, its files, its session. All of it from where the
interface or the framework keeps it; nothing is read here from a stream that the program has still to read.
"""

from __future__ import annotations

import json
import os
import sys
from io import BytesIO
from urllib.parse import parse_qsl

# Bytes of a body, of a request's or of an answer's, that are kept.
KEPT = 65_536


class Pieces:
    """The pieces of a body that have gone by, kept up to KEPT bytes."""

    __slots__ = ("size", "_kept", "_room")

    def __init__(self) -> None:
        self.size = 0
        self._kept: list = []
        self._room = KEPT

    def add(self, piece) -> None:
        if isinstance(piece, (bytes, bytearray, memoryview)) and len(piece) > 0:
            self.size += len(piece)
            if self._room > 0:
                self._kept.append(bytes(piece[: self._room]))
                self._room -= len(piece)

    def content(self) -> bytes:
        return b"".join(self._kept)

    def is_whole(self) -> bool:
        return self._room >= 0


def of_pieces(pieces: Pieces, content_type: str, session=None) -> dict:
    """The parts of a request whose body has gone by in pieces (ASGI)."""
    found = of_body(pieces.content(), content_type, pieces.is_whole()) if pieces.size else {}
    if isinstance(session, dict):
        found["session"] = dict.copy(session)
    return found


def of_body(body: bytes, content_type: str, is_whole: bool = True) -> dict:
    """`form`, `files` and `body` as the type of a body says. Of one that is kept in part only its text is told."""
    kind, _, rest = content_type.partition(";")
    kind = kind.strip().lower()
    if is_whole and kind == "application/x-www-form-urlencoded":
        text = body.decode("utf-8", "replace")
        return {"form": grouped(parse_qsl(text, keep_blank_values=True)), "body": text}
    if is_whole and kind == "multipart/form-data":
        form, files = _parts_of(body, _parameter(rest, "boundary"))
        return {"form": grouped(form), "files": grouped(files)}
    if is_whole and (kind == "application/json" or kind.endswith("+json")):
        try:
            return {"body": json.loads(body.decode("utf-8"))}
        except ValueError:
            # The text says what is wrong with it.
            pass
    return {"body": text_of(body)}


def text_of(body: bytes):
    """A body as text; one that is none as it is."""
    try:
        return body.decode("utf-8")
    except UnicodeDecodeError as error:
        # A character that was cut at the end is no reason to show bytes.
        return body[: error.start].decode("utf-8") if len(body) - error.start < 4 and len(body) >= KEPT else body


def of_framework(program) -> dict:
    """The parts of a request that a framework has made of it: `program` is the object that it has for it.

    Frameworks make most of them when they are first asked for: what has not been asked for is not told.
    """
    modules = [cls.__module__ for cls in type(program).__mro__]
    for package, read in _FRAMEWORKS.items():
        if any(module == package or module.startswith(package + ".") for module in modules):
            return {name: value for name, value in read(vars(program)).items() if value is not None}
    return {}


def of_environ(environ) -> dict:
    """The parts of a request of WSGI: from the framework that has left its own in the environment, else from a stream that
    has all of it in memory.
    """
    program = environ.get("werkzeug.request")
    if program is not None:
        return of_framework(program)
    stream = environ.get("wsgi.input")
    if type(stream) is BytesIO and stream.getbuffer().nbytes:
        body = stream.getvalue()
        return of_body(body[:KEPT], environ.get("CONTENT_TYPE") or "", len(body) <= KEPT)
    return {}


def of_here() -> dict:
    """The parts of the request that Flask serves in this thread or task."""
    flask = vars(sys.modules.get("flask.globals", os)).get
    # By the age of Flask, oldest last.
    variable = flask("_cv_request") or flask("_cv_app")
    context = variable.get(None) if variable is not None else getattr(flask("_request_ctx_stack"), "top", None)
    own = getattr(context, "__dict__", {})
    program = own.get("request") or own.get("_request")
    if program is None:
        return {}
    found = of_framework(program)
    session = own.get("session") or own.get("_session")
    # Whoever asks a session of Flask by its own methods changes what is answered (`Vary`).
    return {**found, "session": dict.copy(session)} if isinstance(session, dict) else found


def _werkzeug(own: dict) -> dict:
    files = own.get("files")
    return {
        "form": _multiple(own.get("form")),
        "files": None if files is None else _multiple(files, _file),
        "body": _body(own, "_cached_data", "content-type"),
    }


def _django(own: dict) -> dict:
    session = getattr(own.get("session"), "__dict__", {}).get("_session_cache")
    return {
        "form": _multiple(own.get("_post")),
        "files": _multiple(own.get("_files"), _file),
        "body": _body(own, "_body", "content_type"),
        "session": dict.copy(session) if isinstance(session, dict) else None,
    }


def _aiohttp(own: dict) -> dict:
    form = own.get("_post")
    pairs = [] if form is None else list(form.items())
    body = own.get("_read_bytes")
    return {
        "form": None if form is None else grouped((name, value) for name, value in pairs if isinstance(value, str)),
        "files": grouped((name, _file(value)) for name, value in pairs if hasattr(value, "filename")) or None,
        "body": of_body(body[:KEPT], own["_headers"].get("Content-Type", ""), len(body) <= KEPT).get("body") if body else None,
    }


def _tornado(own: dict) -> dict:
    body = own.get("body")
    if not isinstance(body, bytes) or not body:
        return {}
    return of_body(body[:KEPT], own["headers"].get("Content-Type", ""), len(body) <= KEPT)


# By the package of the class from which those of its requests descend.
_FRAMEWORKS = {"werkzeug": _werkzeug, "django.http": _django, "aiohttp": _aiohttp, "tornado": _tornado}


def _body(own: dict, name: str, kind: str):
    """A body that a framework has kept under a name."""
    body = own.get(name)
    if not isinstance(body, bytes) or not body:
        return None
    content_type = own.get(kind) or getattr(own.get("headers"), "get", {}.get)(kind) or ""
    return of_body(body[:KEPT], content_type, len(body) <= KEPT).get("body")


def _multiple(values, made=lambda value: value):
    """What frameworks have for several values of one name: a dict of lists."""
    if not isinstance(values, dict):
        lists = getattr(values, "lists", None)
        return None if lists is None else grouped((name, made(value)) for name, each in lists() for value in each)
    pairs = ((name, each if isinstance(each, list) else [each]) for name, each in dict.items(values))
    return grouped((name, made(value)) for name, each in pairs for value in each)


def _file(value) -> dict:
    """A file that came with a request, without touching its stream."""
    own = getattr(value, "__dict__", {})
    stream = getattr(value, "stream", None) or getattr(value, "file", None)
    known = {
        "name": getattr(value, "filename", None) or own.get("_name"),
        "type": getattr(value, "content_type", None),
        "size": own.get("size", _size(getattr(stream, "_file", stream))),
    }
    return {name: part for name, part in known.items() if part is not None}


def _size(stream):
    if isinstance(stream, BytesIO):
        return stream.getbuffer().nbytes
    try:
        return os.fstat(stream.fileno()).st_size
    except (AttributeError, OSError, ValueError):
        return None


def _parts_of(body: bytes, boundary: str):
    """The values and the files of a form in parts (RFC 7578)."""
    form, files = [], []
    for part in body.split(b"--" + boundary.encode("latin-1"))[1:] if boundary else ():
        head, found, content = part.partition(b"\r\n\r\n")
        headers = dict(_header(line) for line in head.decode("utf-8", "replace").strip().split("\r\n"))
        said = headers.get("content-disposition", "")
        name, file = _parameter(said, "name"), _parameter(said, "filename")
        content = content[:-2] if content.endswith(b"\r\n") else content
        if found and file:
            kind = headers.get("content-type", "application/octet-stream")
            files.append((name, {"name": file, "type": kind, "size": len(content)}))
        elif found:
            form.append((name, content.decode("utf-8", "replace")))
    return form, files


def _header(line: str):
    name, _, value = line.partition(":")
    return name.strip().lower(), value.strip()


def _parameter(text: str, wanted: str) -> str:
    """A parameter of a header's value: `name="slips"` (RFC 2183)."""
    for part in text.split(";"):
        name, _, value = part.strip().partition("=")
        if name.lower() == wanted:
            return value.strip('"')
    return ""


def grouped(pairs) -> dict:
    """Values by name: one as it is, several of one name as a list."""
    found: dict = {}
    for name, value in pairs:
        found.setdefault(name, []).append(value)
    return {name: values[0] if len(values) == 1 else values for name, values in found.items()}
