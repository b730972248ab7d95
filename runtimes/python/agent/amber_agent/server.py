"""The serving thread: waits for one client, passes its messages to a session, and leaves nothing behind.

It is the only thread that reads or writes the client's socket. It ends when the client has gone, or
when none came; the process is then as it was before the signal.
"""

from __future__ import annotations

import math
import os
import select
import time
from _thread import get_ident

from . import description
from .endpoint import Endpoint, peer_pid
from .hits import MOST_UNSENT
from .lobby import Lobby
from .session import Session
from .wire import BrokenFrame, FrameReader, Outbox, Waker, encode

# How long a woken agent waits for its client before it sleeps again.
IDLE_SECONDS = 10.0
# A client of ours sends something at least every 5 s; after this long without it, while something
# is paused, the client is gone or stopped and the program must go on.
SILENCE_SECONDS = 20.0

# A client that comes while another is attached is answered after this long: the other may be leaving.
GRACE_SECONDS = 0.3
# A program that ends waits for no longer than this until all that it has told is sent.
LAST_SECONDS = 1.0

_current: list = []


def serve() -> None:
    """Serve clients until there are none. Runs in a raw thread that `threading` does not list."""
    endpoint = Endpoint()
    lobby = Lobby(endpoint.refuses)
    waiting = None
    try:
        while True:
            server = _Server(endpoint, lobby)
            _current[:] = [server]
            try:
                server.run(waiting)
            except Exception as error:  # of this client's session; the next one has another
                description.tell(error)
            finally:
                _current.clear()
                waiting = server.close()
            if not endpoint.is_there:
                return
            if waiting is None and not endpoint.lasting:
                # A client that came back at once may wait in the queue of the socket.
                endpoint, connection = endpoint.renewed()
                if connection is None:
                    return
                waiting = Waiting(connection)
    finally:
        lobby.close()
        endpoint.close()


def last_words() -> None:
    """The program ends: waits until what it has told is sent, for as long as a client takes it and not for long."""
    if _current:
        _current[0].last_words()


def say(text: str) -> None:
    """Tell whoever is attached, from a thread of the program."""
    for server in _current:
        session = server._session
        if session is not None:
            session.event("output", {"category": "important", "output": text})


def after_fork() -> None:
    """In a forked child: the parent's thread does not exist here; let go of its sockets and marks."""
    if _current:
        server = _current[0]
        _current.clear()
        server.abandon()


class Waiting:
    """A connection that came while another client was attached, with what it has said."""

    def __init__(self, connection) -> None:
        self.connection = connection
        self.reader = FrameReader()
        self.messages: list = []
        self.since = time.monotonic()
        # The arguments of an `initialize` that has been answered already.
        self.introduced = None


class _Server:
    def __init__(self, endpoint: Endpoint, lobby: Lobby) -> None:
        self._endpoint = endpoint
        self._waker = Waker()
        self._outbox = Outbox(self._waker.wake)
        self._client = None
        self._session = None
        self._heard = time.monotonic()
        self._refused: dict = {}
        self._lobby = lobby
        self._taken_by = ""
        self._serving = get_ident()

    def run(self, waiting) -> None:
        """Serve one client to its end, or return when none comes.

        `waiting` is a Waiting whose turn has come, or None.
        """
        started = time.monotonic()
        reader = FrameReader()
        if waiting is not None:
            reader = waiting.reader
            self._admit(waiting)
        poller = select.poll()
        poller.register(self._endpoint.socket, select.POLLIN)
        poller.register(self._waker.reading, select.POLLIN)
        self._lobby.register(poller)
        while True:
            if self._client is not None:
                interest = select.POLLIN | (select.POLLOUT if self._outbox.waiting else 0)
                poller.register(self._client, interest)
            elif not self._endpoint.lasting and time.monotonic() - started > IDLE_SECONDS:
                return
            ready = poller.poll(self._patience())
            if any(event & select.POLLNVAL for _handle, event in ready):
                raise OSError("the program has closed what the agent listens on")
            for handle, _event in ready:
                if handle == self._waker.reading:
                    self._waker.clear()
                elif handle == self._endpoint.socket.fileno():
                    self._accept(poller)
                elif handle in self._refused:
                    self._hear(handle, poller)
                elif handle in self._lobby:
                    visitor = self._lobby.hear(handle, poller)
                    if visitor is not None:
                        reader = self._let_in(visitor) or reader
            self._refuse_late(poller)
            self._lobby.close_late(poller)
            if self._client is None:
                continue
            try:
                if not self._exchange(reader, {handle for handle, _event in ready}):
                    return
            except (OSError, BrokenFrame):
                return
            self._session.tick()

    def _patience(self) -> int:
        """Milliseconds to wait for something: less while hits gather, or somebody waits to be refused."""
        if self._session is not None and self._session.hits.waiting and self._outbox.unsent <= MOST_UNSENT:
            return math.ceil(self._session.hits.due_in() * 1000)
        return 100 if self._refused or len(self._lobby) else 1000

    def _exchange(self, reader: FrameReader, ready: set) -> bool:
        """Read, dispatch and write what is there. Returns False when the session is over."""
        if self._client.fileno() in ready:
            try:
                chunk = self._client.recv(262144)
            except (BlockingIOError, InterruptedError):
                chunk = None
            if chunk == b"":
                return False
            if chunk:
                self._heard = time.monotonic()
                for message in reader.feed(chunk):
                    self._session.receive(message)
        elif self._session.silence_matters and time.monotonic() - self._heard > SILENCE_SECONDS:
            return False
        hits = self._session.hits
        # What belongs together goes together: each message takes the interpreter from the program.
        if hits.waiting and (self._session.over or hits.due_in() == 0):
            hits.flush(self._outbox.unsent)
        self._outbox.drain(self._client)
        return not (self._session.over and not self._outbox.waiting)

    def _accept(self, poller) -> None:
        try:
            connection, _address = self._endpoint.socket.accept()
        except OSError:
            return
        connection.setblocking(False)
        os.set_inheritable(connection.fileno(), False)
        if self._endpoint.lasting:
            self._lobby.add(connection, poller)
        elif self._client is not None:
            # One client at a time; a later one is told who has it, once it has introduced itself.
            self._refused[connection.fileno()] = Waiting(connection)
            poller.register(connection, select.POLLIN)
        else:
            self._admit(Waiting(connection))

    def _let_in(self, visitor):
        """A visitor has brought the token. Returns its reader when it is the client now."""
        waiting = Waiting(visitor.connection)
        waiting.reader, waiting.messages = visitor.reader, visitor.messages
        waiting.introduced = visitor.introduced
        if self._client is not None:
            self._refused[visitor.connection.fileno()] = waiting
            return None
        self._admit(waiting)
        return waiting.reader

    def _admit(self, waiting: Waiting) -> None:
        connection = waiting.connection
        self._client = connection
        self._heard = time.monotonic()
        pid = peer_pid(connection)
        self._taken_by = "process %d" % pid if pid else "another client"
        self._session = Session(self._outbox.post, self._endpoint.refuses)
        self._session.hits.wake = self._waker.wake
        self._session.last_words = self.last_words
        since = int(time.time())
        description.describe('{"pid":%d,"since":%d}' % (pid, since))
        if waiting.introduced is not None:
            self._session.introduce(waiting.introduced)
        for message in waiting.messages:
            self._session.receive(message)

    def _hear(self, handle: int, poller) -> None:
        """Something from a connection that waits; it is kept until it is its turn, or refused."""
        waiting = self._refused[handle]
        try:
            chunk = waiting.connection.recv(65536)
            if chunk:
                waiting.messages += waiting.reader.feed(chunk)
                return
        except BlockingIOError:
            return
        except (OSError, BrokenFrame):
            pass
        self._drop(handle, poller)

    def _refuse_late(self, poller) -> None:
        """Tell those who have waited long enough who is attached."""
        for handle, waiting in list(self._refused.items()):
            if not waiting.messages or time.monotonic() - waiting.since < GRACE_SECONDS:
                continue
            message = waiting.messages[0]
            text = "already attached: %s has this target" % self._taken_by
            answer = {
                "seq": 1,
                "type": "response",
                "request_seq": message.get("seq", 1),
                "command": message.get("command", "initialize"),
                "success": False,
                "message": "taken",
                "body": {"error": {"id": 2, "format": text}},
            }
            try:
                waiting.connection.send(encode(answer))
            except OSError:
                pass
            self._drop(handle, poller)

    def _drop(self, handle: int, poller) -> None:
        poller.unregister(handle)
        self._refused.pop(handle).connection.close()

    def close(self):
        """Resume what is paused, take out every mark, close every handle.

        Returns a Waiting that has not been answered, for the next turn, or None.
        """
        waiting = self._refused.popitem()[1] if self._refused else None
        try:
            if self._session is not None:
                self._session.end()
                self._drain_last()
                try:
                    description.describe(None)
                except OSError:
                    pass
        finally:
            self._close_handles()
        return waiting

    def last_words(self) -> None:
        session = self._session
        if session is None or self._client is None or get_ident() == self._serving:
            return
        session.tell_counts()
        deadline = time.monotonic() + LAST_SECONDS
        while (session.hits.waiting or self._outbox.waiting) and not session.over and time.monotonic() < deadline:
            time.sleep(0.002)

    def _drain_last(self) -> None:
        """The answer to `disconnect` and the last events, for a client that still reads."""
        try:
            self._client.settimeout(1.0)
            self._outbox.drain(self._client)
        except OSError:
            pass

    def _close_handles(self) -> None:
        for waiting in self._refused.values():
            waiting.connection.close()
        if self._client is not None:
            self._client.close()
        self._waker.close()

    def abandon(self) -> None:
        """After a fork, in the child: as close(), without a word to the parent's client."""
        if self._session is not None:
            self._session.abandon()
        self._lobby.close()
        self._close_handles()
        self._endpoint.socket.close()
