"""What a request carries, to be looked at while it is held and in expressions: read from what the server has parsed of
its head. Its body is the program's to read, and is left alone; what has been read of it is shown.
"""

from __future__ import annotations

from urllib.parse import parse_qsl

from . import veil
from .content import grouped, of_framework, of_here, text_of
from .served import current
from .values import Child
from .veil_rules import HIDDEN

# What a request that is served is called in expressions, where the program has nothing of this name.
NAME = "request"


def parts_of(request) -> list:
    """The children of the scope `Request`."""
    parts = {name: part(request) for name, part in _PARTS.items()}
    if "cookie" not in parts["headers"]:
        del parts["cookies"]
    return [Child(name, value) for name, value in {**parts, **_content_of(request)}.items()]


class CarriedRequest:
    """`request` in an expression: each part is read when it is asked for, and kept.

    `is_shown`: what it gives is told to the client, so that what has a secret name is hidden in it.
    """

    def __init__(self, request, is_shown: bool) -> None:
        self._request = request
        self._is_shown = is_shown

    def __getattr__(self, name: str):
        if name in _READ:
            # The program may still be reading it: what there is now is not kept.
            return self._veiled(name, _content_of(self._request).get(name))
        part = _PARTS.get(name)
        if part is None:
            raise AttributeError("`request` has %s; not %s" % (", ".join((*_PARTS, *_READ)), name))
        value = self._veiled(name, part(self._request))
        self.__dict__[name] = value
        return value

    def _veiled(self, name: str, value):
        return veiled(name, value) if self._is_shown else value

    def __repr__(self) -> str:
        return "<%s %s>" % (self._request.method, veil.current().masked(self._request.target))


def veiled(name: str, value):
    """A part of a request as it is told: values under secret names are hidden."""
    if not isinstance(value, dict):
        return value
    hides = veil.current().hides
    is_secret = hides(name)
    return {key: HIDDEN if is_secret or hides(key) else item for key, item in value.items()}


def request_asked() -> CarriedRequest:
    """The request that is served here, for a condition. Raises LookupError where none is."""
    return _carried(0)


def request_shown() -> CarriedRequest:
    """The same for a value that is told."""
    return _carried(1)


def _carried(which: int) -> CarriedRequest:
    request = current()
    if request is None:
        raise LookupError("no request is known to be served here")
    if request.carried is None:
        request.carried = (CarriedRequest(request, False), CarriedRequest(request, True))
    return request.carried[which]


def answer_of(request) -> list:
    """The children of the scope `Response`."""
    found = [] if request.status is None else [Child("status", request.status)]
    if request.answered:
        headers = grouped((str(name).lower(), value) for name, value in request.answered)
        found.append(Child("headers", headers))
    if request.answer is not None and request.answer.size:
        found.append(Child("body", text_of(request.answer.content())))
    return found


def _content_of(request) -> dict:
    """What has been read of its body, and made of it: as far as the interface or the framework keeps it."""
    found = of_here()
    if request.content is not None:
        found.update(request.content())
    if request.program is not None:
        found.update(of_framework(request.program))
    return found


def _path_of(request) -> str:
    return request.target.partition("?")[0]


def _query_of(request) -> dict:
    return grouped(parse_qsl(request.target.partition("?")[2], keep_blank_values=True))


def _headers_of(request) -> dict:
    return grouped((str(name).lower(), value) for name, value in request.headers())


def _cookies_of(request) -> dict:
    return _cookies(_headers_of(request).get("cookie"))


_PARTS = {
    "method": lambda request: request.method,
    "path": _path_of,
    "query": _query_of,
    "headers": _headers_of,
    "cookies": _cookies_of,
}

# What is there once the program has read it, or made it.
_READ = ("form", "files", "session", "body")


def _cookies(header) -> dict:
    """The cookies of a header `Cookie` (RFC 6265, 4.2.1)."""
    text = "; ".join(header) if isinstance(header, list) else header or ""
    pairs = (part.strip().partition("=") for part in text.split(";"))
    return {name: value for name, equals, value in pairs if equals}
