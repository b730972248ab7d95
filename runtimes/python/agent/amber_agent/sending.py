"""A request that the program itself sends to somebody, to be looked at where it is sent and in the expressions of marks."""

from __future__ import annotations

from contextvars import ContextVar

from .carried import veiled
from .content import KEPT, grouped, of_body
from .values import Child

# What a request that is sent is called in expressions, where the program has nothing of this name.
NAME = "sent"
# `{status}` alone in a text, for short.
PARTS = ("method", "url", "headers", "body", "status")

_current: ContextVar = ContextVar("amber_sent", default=None)


class Sending:
    """A request on its way: `url` whole, `headers` as pairs, `body` what the program has given for one, `status` once it
    has been answered.
    """

    __slots__ = ("method", "url", "headers", "body", "status")

    def __init__(self, method, url: str, headers, body) -> None:
        self.method = _text(method).upper()
        self.url = url
        self.headers = grouped((_text(name).lower(), _text(value)) for name, value in headers)
        kind = self.headers.get("content-type")
        self.body = _read(body, kind if isinstance(kind, str) else "")
        self.status = None


class SentRequest:
    """`sent` in an expression. `is_shown`: what it gives is told, so that what has a secret name is hidden in it."""

    def __init__(self, sending: Sending, is_shown: bool) -> None:
        for name in PARTS:
            value = getattr(sending, name)
            setattr(self, name, veiled(name, value) if is_shown else value)

    def __repr__(self) -> str:
        return "<%s %s>" % (self.method, self.url)


def sent_asked() -> SentRequest:
    """The request that is sent here, for a condition. Raises LookupError where none is."""
    return _sent(False)


def sent_shown() -> SentRequest:
    """The same for a value that is told."""
    return _sent(True)


def _sent(is_shown: bool) -> SentRequest:
    sending = _current.get()
    if sending is None:
        raise LookupError("no request is sent here")
    return SentRequest(sending, is_shown)


def parts_of(sending: Sending) -> list:
    """The children of the scope `Sent`."""
    found = [Child(name, getattr(sending, name)) for name in PARTS]
    return [child for child in found if child.value is not None]


current = _current.get


class at:
    """While this lasts a request is the one that is sent here."""

    def __init__(self, sending: Sending) -> None:
        self._sending = sending

    def __enter__(self) -> None:
        self._token = _current.set(self._sending)

    def __exit__(self, *_error) -> None:
        _current.reset(self._token)


def _read(body, kind: str):
    """A body that is there as a whole; what has still to be read, or made, is not touched."""
    if isinstance(body, str):
        body = body.encode("utf-8", "surrogatepass")
    if isinstance(body, (bytes, bytearray)):
        found = of_body(bytes(body[:KEPT]), kind, len(body) <= KEPT)
        return found.get("body", found.get("form")) if body else None
    return body if isinstance(body, (dict, list, tuple)) else None


def _text(value) -> str:
    return value.decode("latin-1") if isinstance(value, (bytes, bytearray)) else str(value)
