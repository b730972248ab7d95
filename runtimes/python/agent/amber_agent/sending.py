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
    """A request on its way: `url` whole, `pairs` its headers, `given` what the program has given for a body, `status` once
    it has been answered. Most are no mark's, so the rest is read when it is asked for.
    """

    __slots__ = ("method", "url", "status", "_pairs", "_given")

    def __init__(self, method, url: str, pairs, given) -> None:
        self.method = _text(method).upper()
        self.url = url
        self.status = None
        self._pairs = pairs
        self._given = given

    @property
    def headers(self) -> dict:
        return grouped((_text(name).lower(), _text(value)) for name, value in self._pairs)

    @property
    def body(self):
        kind = self.headers.get("content-type")
        return _read(self._given, kind if isinstance(kind, str) else "")


class SentRequest:
    """`sent` in an expression. `is_shown`: what it gives is told, so that what has a secret name is hidden in it."""

    def __init__(self, sending: Sending, is_shown: bool) -> None:
        self._sending = sending
        self._is_shown = is_shown

    def __getattr__(self, name: str):
        if name not in PARTS:
            raise AttributeError("`sent` has %s; not %s" % (", ".join(PARTS), name))
        value = getattr(self._sending, name)
        self.__dict__[name] = value = veiled(name, value) if self._is_shown else value
        return value

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
