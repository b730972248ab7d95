"""What a request carries, to be looked at while it is held: read from what the server has parsed of its head.

Its body is the program's to read, and is left alone.
"""

from __future__ import annotations

from urllib.parse import parse_qsl

from .values import Child


def parts_of(request) -> list:
    """The children of the scope `Request`."""
    path, _mark, query = request.target.partition("?")
    headers = _grouped((str(name).lower(), value) for name, value in request.headers())
    found = [
        Child("method", request.method),
        Child("path", path),
        Child("query", _grouped(parse_qsl(query, keep_blank_values=True))),
        Child("headers", headers),
    ]
    return found + [Child("cookies", _cookies(headers["cookie"]))] if "cookie" in headers else found


def answer_of(request) -> list:
    """The children of the scope `Response`."""
    return [Child("status", request.status)]


def _grouped(pairs) -> dict:
    """Values by name: one as it is, several of one name as a list."""
    found: dict = {}
    for name, value in pairs:
        found.setdefault(name, []).append(value)
    return {name: values[0] if len(values) == 1 else values for name, values in found.items()}


def _cookies(header) -> dict:
    """The cookies of a header `Cookie` (RFC 6265, 4.2.1)."""
    text = "; ".join(header) if isinstance(header, list) else header or ""
    pairs = (part.strip().partition("=") for part in text.split(";"))
    return {name: value for name, equals, value in pairs if equals}
