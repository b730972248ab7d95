"""Connections to a TCP endpoint that have not shown the token yet: they cost a few handles for a few seconds.

Anybody who reaches the port may connect. Until the token is there nothing of the program is touched for them, little is
read, and a client that is attached does not notice. Each is told what this agent can do (`initialize`) and has to bring
the token with `attach`.
"""

from __future__ import annotations

import select
import time

from .requests import capabilities
from .wire import BrokenFrame, FrameReader, encode

# Of more the one that has waited longest goes.
MOST = 8
SECONDS = 5.0
# All that somebody without the token may send.
MOST_BYTES = 65_536


class Visitor:
    """One connection, with what it has said."""

    def __init__(self, connection) -> None:
        self.connection = connection
        self.reader = FrameReader()
        self.since = time.monotonic()
        self.said = 0
        # The arguments of its `initialize`.
        self.introduced = None
        # What is left to be answered once it has been let in.
        self.messages: list = []


class Lobby:
    def __init__(self, refuses) -> None:
        self._refuses = refuses
        self._visitors: dict = {}

    def __contains__(self, handle: int) -> bool:
        return handle in self._visitors

    def __len__(self) -> int:
        return len(self._visitors)

    def register(self, poller) -> None:
        """Have another poller look at those that are here."""
        for visitor in self._visitors.values():
            poller.register(visitor.connection, select.POLLIN)

    def add(self, connection, poller) -> None:
        if len(self._visitors) >= MOST:
            self._drop(next(iter(self._visitors)), poller)
        self._visitors[connection.fileno()] = Visitor(connection)
        poller.register(connection, select.POLLIN)

    def hear(self, handle: int, poller):
        """Something from a connection. Returns its Visitor, out of the lobby, when it has brought the token."""
        visitor = self._visitors[handle]
        try:
            chunk = visitor.connection.recv(65_536)
            visitor.said += len(chunk)
            if not chunk or visitor.said > MOST_BYTES:
                raise BrokenFrame("too much without the token, or nothing more")
            visitor.messages += visitor.reader.feed(chunk)
            while visitor.messages:
                if self._answer(visitor):
                    return self._visitors.pop(handle)
        except BlockingIOError:
            return None
        except (OSError, BrokenFrame):
            self._drop(handle, poller)
        return None

    def close_late(self, poller) -> None:
        for handle, visitor in list(self._visitors.items()):
            if time.monotonic() - visitor.since > SECONDS:
                self._drop(handle, poller)

    def close(self) -> None:
        for visitor in self._visitors.values():
            visitor.connection.close()
        self._visitors.clear()

    def _drop(self, handle: int, poller) -> None:
        poller.unregister(handle)
        self._visitors.pop(handle).connection.close()

    def _answer(self, visitor: Visitor) -> bool:
        """Answer one message; whether it brings the token, and then it stays to be answered by a session."""
        message = visitor.messages[0]
        command = message.get("command")
        arguments = message.get("arguments")
        if not isinstance(arguments, dict):
            arguments = {}
        if command == "initialize":
            visitor.introduced = arguments
            visitor.messages.pop(0)
            visitor.connection.send(encode(dict(_response(message), success=True, body=capabilities(arguments))))
            return False
        if command == "attach" and not self._refuses(arguments.get("token")):
            return True
        error = {"id": 1, "format": "the token is missing or wrong"}
        answer = dict(_response(message), success=False, message="refused", body={"error": error})
        visitor.connection.send(encode(answer))
        raise BrokenFrame("no token")


def _response(message: dict) -> dict:
    seq = message.get("seq")
    command = message.get("command")
    return {
        "seq": 1,
        "type": "response",
        "request_seq": seq if isinstance(seq, int) else 1,
        "command": command if isinstance(command, str) else "",
    }
