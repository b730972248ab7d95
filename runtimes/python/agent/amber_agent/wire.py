"""DAP frames on a socket: `Content-Length` headers and JSON bodies (DAP, "Base protocol").

Reading never blocks. Writing appends to a bounded buffer that the serving thread drains, so that a
thread of the program can report something to a client that reads slowly without waiting for it.
"""

from __future__ import annotations

import json
import os
from collections import deque
from _thread import allocate_lock, get_ident
from itertools import islice

from . import veil

# A client that lets this much pile up has stopped reading; it is treated as gone.
MAX_UNSENT = 64 * 1024 * 1024
MAX_MESSAGE = 64 * 1024 * 1024
# Frames that are handed to the system together.
MOST_TOGETHER = 32
# Bytes that are read of the pipe by which the serving thread is woken.
WAKES = 4096


class BrokenFrame(Exception):
    """The bytes on the wire are not DAP frames."""


class FrameReader:
    """Turns chunks of bytes into messages."""

    def __init__(self) -> None:
        self._buffer = bytearray()

    def feed(self, chunk: bytes) -> list:
        """Return the messages (dicts) that `chunk` completes. Raises BrokenFrame."""
        self._buffer += chunk
        messages = []
        while True:
            end = self._buffer.find(b"\r\n\r\n")
            if end < 0:
                if len(self._buffer) > 4096:
                    raise BrokenFrame("a header longer than 4096 bytes")
                return messages
            length = self._length(bytes(self._buffer[:end]))
            start = end + 4
            if len(self._buffer) < start + length:
                return messages
            body = bytes(self._buffer[start : start + length])
            del self._buffer[: start + length]
            try:
                message = json.loads(body.decode("utf-8"))
            except (ValueError, RecursionError) as error:
                raise BrokenFrame("a body that is not JSON: %s" % error) from None
            if not isinstance(message, dict):
                raise BrokenFrame("a body that is not a JSON object")
            messages.append(message)

    @staticmethod
    def _length(header: bytes) -> int:
        for line in header.split(b"\r\n"):
            name, colon, value = line.partition(b":")
            if not colon or b" " in name.strip():
                # The first line of HTTP: a page in a browser may send one with a body that looks like ours.
                raise BrokenFrame("a header that is not one of DAP")
            if name.strip().lower() == b"content-length":
                try:
                    length = int(value)
                except ValueError:
                    break
                if 0 <= length <= MAX_MESSAGE:
                    return length
                raise BrokenFrame("a message of %d bytes" % length)
        raise BrokenFrame("a header without a Content-Length")


# Answers that are exact: text of files, which the client hides where it shows it.
_EXACT = ("source", "initialize")


class Json:
    """A body that is JSON already. `said`: what of it may say something that is to be hidden."""

    __slots__ = ("text", "said")

    def __init__(self, text: str, said: str) -> None:
        self.text = text
        self.said = said


# A text as JSON.
quoted = json.encoder.encode_basestring_ascii
_encoder = json.JSONEncoder(separators=(",", ":"))


def compact(data) -> str:
    """Data as JSON without a space. Lone surrogates (undecodable file names) are escaped by JSON itself."""
    return _encoder.encode(data)


def encode(message: dict) -> bytes:
    """One message as a frame, with what its texts say of secret names hidden: this is where they leave the process."""
    body = message.get("body")
    if body is None:
        text = compact(message)
    else:
        head = {key: value for key, value in message.items() if key != "body"}
        shown = compact(body) if message.get("command") in _EXACT else _shown(body)
        text = '%s,"body":%s}' % (compact(head)[:-1], shown)
    frame = text.encode("ascii")
    return b"Content-Length: %d\r\n\r\n%s" % (len(frame), frame)


def _shown(body) -> str:
    """A body as JSON; what is to be hidden in it is looked for in its text, which has to be made anyway."""
    if type(body) is Json:
        text, said = body.text, body.said
    else:
        text = said = compact(body)
    current = veil.current()
    stems = current.stems_in(said)
    return compact(current.masked_with(json.loads(text), stems)) if stems else text


class Outbox:
    """Frames waiting to be sent. Any thread may post; only the serving thread drains."""

    def __init__(self, wake) -> None:
        self._frames: deque = deque()
        self._lock = allocate_lock()
        self._wake = wake
        # The serving thread, which drains by itself what it has posted. Each call of the system that it is spared spares
        # it some milliseconds of waiting for the interpreter, where the program computes.
        self._drainer = None
        self._seq = 0
        self._unsent = 0
        self.overflowed = False

    def post(self, message: dict) -> None:
        with self._lock:
            if self.overflowed:
                return
            self._seq += 1
            message["seq"] = self._seq
            frame = encode(message)
            self._unsent += len(frame)
            if self._unsent > MAX_UNSENT:
                self.overflowed = True
                self._frames.clear()
            else:
                self._frames.append(frame)
        if get_ident() != self._drainer:
            self._wake()

    @property
    def waiting(self) -> bool:
        return bool(self._frames) or self.overflowed

    @property
    def unsent(self) -> int:
        """Bytes that the client has not taken yet."""
        return self._unsent

    def drain(self, connection) -> None:
        """Send what the socket takes. Raises OSError when the client is gone."""
        self._drainer = get_ident()
        if self.overflowed:
            raise OSError("the client has stopped reading")
        while self._frames:
            # Many at once, for the same reason.
            with self._lock:
                together = b"".join(islice(self._frames, MOST_TOGETHER))
            try:
                sent = connection.send(together)
            except (BlockingIOError, InterruptedError):
                return
            if not self._take_off(sent):
                return

    def _take_off(self, sent: int) -> bool:
        """So many bytes have gone. Returns whether that was all of the last frame."""
        with self._lock:
            self._unsent -= sent
            while sent > 0 and self._frames:
                frame = self._frames.popleft()
                if sent < len(frame):
                    self._frames.appendleft(frame[sent:])
                    return False
                sent -= len(frame)
            return True


class Waker:
    """A pipe that ends the serving thread's poll from any thread."""

    def __init__(self) -> None:
        self.reading, self._writing = os.pipe()
        os.set_blocking(self.reading, False)
        os.set_blocking(self._writing, False)

    def wake(self) -> None:
        try:
            os.write(self._writing, b"\0")
        except OSError:
            # Full: a wake is already pending. Closed: nobody is left to wake.
            pass

    def clear(self) -> None:
        try:
            while len(os.read(self.reading, WAKES)) == WAKES:
                pass
        except OSError:
            pass

    def close(self) -> None:
        for handle in (self.reading, self._writing):
            try:
                os.close(handle)
            except OSError:
                pass
