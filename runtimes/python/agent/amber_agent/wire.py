"""DAP frames on a socket: `Content-Length` headers and JSON bodies (DAP, "Base protocol").

Reading never blocks. Writing appends to a bounded buffer that the serving thread drains, so that a
thread of the program can report something to a client that reads slowly without waiting for it.
"""

from __future__ import annotations

import json
import os
from collections import deque
from _thread import allocate_lock

from . import veil

# A client that lets this much pile up has stopped reading; it is treated as gone.
MAX_UNSENT = 64 * 1024 * 1024
MAX_MESSAGE = 64 * 1024 * 1024


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


def encode(message: dict) -> bytes:
    """One message as a frame, with what its texts say of secret names hidden: this is where they leave the process.

    Lone surrogates (undecodable file names) are escaped by JSON itself.
    """
    text = json.dumps(message, separators=(",", ":"))
    if "body" in message and message.get("command") not in _EXACT:
        current = veil.current()
        stems = current.stems_in(text)
        if stems:
            shown = dict(message, body=current.masked_with(message["body"], stems))
            text = json.dumps(shown, separators=(",", ":"))
    body = text.encode("ascii")
    return b"Content-Length: %d\r\n\r\n%s" % (len(body), body)


class Outbox:
    """Frames waiting to be sent. Any thread may post; only the serving thread drains."""

    def __init__(self, wake) -> None:
        self._frames: deque = deque()
        self._lock = allocate_lock()
        self._wake = wake
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
        if self.overflowed:
            raise OSError("the client has stopped reading")
        while self._frames:
            frame = self._frames[0]
            try:
                sent = connection.send(frame)
            except (BlockingIOError, InterruptedError):
                return
            with self._lock:
                self._unsent -= sent
                if sent == len(frame):
                    self._frames.popleft()
                else:
                    self._frames[0] = frame[sent:]
                    return


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
            while os.read(self.reading, 4096):
                pass
        except OSError:
            pass

    def close(self) -> None:
        for handle in (self.reading, self._writing):
            try:
                os.close(handle)
            except OSError:
                pass
