"""Marks where the program sends requests: the methods of clients of HTTP through which these go, watched while such a mark
is on.
"""

from __future__ import annotations

import sys
from weakref import WeakKeyDictionary

from .sending import Sending, at


class Sends:
    """The clients that are watched for a session, and the marks at what they send."""

    def __init__(self, session) -> None:
        self._session = session
        self.wanted: list = []
        # (owner, attribute) -> (what was there, what is there now)
        self._watched: dict = {}
        # By connection of http.client, the request that is on it.
        self.on_connection: WeakKeyDictionary = WeakKeyDictionary()
        self.inside: set = set()

    def set(self, wanted: list) -> None:
        """These are the marks from now on."""
        self.wanted = wanted
        if wanted:
            self.look()
        else:
            self.remove()

    def look(self) -> None:
        """Watch the clients that are imported by now."""
        for module, cls, name, wrap in ENTRIES if self.wanted else ():
            owner = getattr(sys.modules.get(module), cls, None)
            if owner is None or name not in vars(owner) or (owner, name) in self._watched:
                continue
            before = vars(owner)[name]
            ours = wrap(before, self)
            self._watched[owner, name] = (before, ours)
            setattr(owner, name, ours)

    def note(self) -> str:
        """What is to be said of such a mark."""
        return "" if self._watched else "no client of HTTP that is known is loaded yet: http.client (urllib, requests), httpx, aiohttp"

    def remove(self) -> None:
        """Put everything back; whoever has replaced ours since keeps what is theirs."""
        self.wanted = []
        for (owner, name), (before, ours) in self._watched.items():
            if vars(owner).get(name) is ours:
                setattr(owner, name, before)
        self._watched.clear()
        self.on_connection.clear()

    def begins(self, make):
        """A request is about to be sent. Gives it, or None where it cannot be read."""
        try:
            sending = make()
            self._reached(sending, False)
            return sending
        except Exception as error:
            self._session.trouble("reading a request that is sent failed", error)
            return None

    def answered(self, sending, status) -> None:
        """It has been answered."""
        if sending is None:
            return
        try:
            sending.status = int(status)
            self._reached(sending, True)
        except Exception as error:
            self._session.trouble("reading an answer failed", error)

    def _reached(self, sending: Sending, is_answered: bool) -> None:
        marks = [item.mark for item in self.wanted if item.mark is not None and item.asks_answer == is_answered and item.matches(sending)]
        frame = self._sender() if marks else None
        if frame is None:
            return
        with at(sending):
            for mark in marks:
                self._session.marks.reached(mark.id, frame, False)

    def _sender(self):
        """The innermost frame of the project's code; where there is none, the innermost of all."""
        frame = sys._getframe()
        innermost = None
        while frame is not None:
            if not self._session.is_ours(frame):
                innermost = innermost or frame
                if not self._session.foreign.is_foreign(frame.f_code.co_filename):
                    return frame
            frame = frame.f_back
        return innermost


def _address(connection, target: str) -> str:
    """The whole address of what is asked on a connection of http.client."""
    if "://" in target:
        return target
    own = connection.default_port
    scheme = "https" if own == 443 else "http"
    host = getattr(connection, "_tunnel_host", None) or connection.host
    port = getattr(connection, "_tunnel_port", None) or connection.port
    return "%s://%s%s%s" % (scheme, host, "" if port in (None, own) else ":%d" % port, target)


def _at_request(before, sends):
    """`HTTPConnection.request` of http.client and of urllib3: all of a request at once."""

    def request(connection, method, url, body=None, headers=None, *rest, **named):
        given = () if headers is None and not rest else (headers, *rest)
        if connection in sends.inside:
            # One that stands on the other.
            return before(connection, method, url, body, *given, **named)
        pairs = [] if headers is None else list(headers.items() if hasattr(headers, "items") else headers)
        sending = sends.begins(lambda: Sending(method, _address(connection, url), pairs, body))
        if sending is not None:
            sends.on_connection[connection] = sending
        sends.inside.add(connection)
        try:
            return before(connection, method, url, body, *given, **named)
        finally:
            sends.inside.discard(connection)

    return request


def _at_first_line(before, sends):
    """`HTTPConnection.putrequest`: a request that is written piece by piece."""

    def putrequest(connection, method, url, *rest, **named):
        if connection not in sends.inside:
            sending = sends.begins(lambda: Sending(method, _address(connection, url), [], None))
            if sending is not None:
                sends.on_connection[connection] = sending
        return before(connection, method, url, *rest, **named)

    return putrequest


def _at_response(before, sends):
    """`HTTPConnection.getresponse`."""

    def getresponse(connection, *rest, **named):
        response = before(connection, *rest, **named)
        sends.answered(sends.on_connection.pop(connection, None), response.status)
        return response

    return getresponse


def _of_httpx(request) -> Sending:
    # What is sent piece by piece has no content yet.
    return Sending(request.method, str(request.url), request.headers.items(), getattr(request, "_content", None))


def _around_send(before, sends):
    """`Client.send` of httpx."""

    def send(client, request, *rest, **named):
        sending = sends.begins(lambda: _of_httpx(request))
        response = before(client, request, *rest, **named)
        sends.answered(sending, response.status_code)
        return response

    return send


def _around_async_send(before, sends):
    """`AsyncClient.send` of httpx."""

    async def send(client, request, *rest, **named):
        sending = sends.begins(lambda: _of_httpx(request))
        response = await before(client, request, *rest, **named)
        sends.answered(sending, response.status_code)
        return response

    return send


def _around_client(before, sends):
    """`ClientSession._request` of aiohttp."""

    async def _request(session, method, url, **named):
        sending = sends.begins(lambda: _of_aiohttp(session, method, url, named))
        response = await before(session, method, url, **named)
        sends.answered(sending, response.status)
        return response

    return _request


def _of_aiohttp(session, method, url, named: dict) -> Sending:
    whole = session._build_url(url)
    if named.get("params"):
        whole = whole.update_query(named["params"])
    headers = list(session.headers.items()) + list((named.get("headers") or {}).items())
    body = named.get("data") if named.get("json") is None else named["json"]
    return Sending(method, str(whole), headers, body)


# The module, class and method of a client, and what stands in its place.
ENTRIES = (
    ("http.client", "HTTPConnection", "request", _at_request),
    ("http.client", "HTTPConnection", "putrequest", _at_first_line),
    ("http.client", "HTTPConnection", "getresponse", _at_response),
    ("urllib3.connection", "HTTPConnection", "request", _at_request),
    ("httpx", "Client", "send", _around_send),
    ("httpx", "AsyncClient", "send", _around_async_send),
    ("aiohttp", "ClientSession", "_request", _around_client),
)
