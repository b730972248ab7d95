"""What the program prints, line by line, with the request that it belongs to.

The method `write` of the standard streams passes through us while a client wants to hear of it.
"""

from __future__ import annotations

import sys
from _thread import get_ident

# Characters of a line that are told, and lines that are begun and not ended yet.
MOST = 2_000
MOST_BEGUN = 500


class Printed:
    """The standard streams that are listened to."""

    def __init__(self, session) -> None:
        self._session = session
        # (stream, write) for each that was changed.
        self._changed: list = []
        # (thread, name of the stream) -> the line so far: `print` writes it in pieces.
        self._begun: dict = {}

    def install(self) -> None:
        for name in ("stdout", "stderr"):
            stream = getattr(sys, name, None)
            if stream is None or "write" in getattr(stream, "__dict__", {}):
                continue
            ours = self._around(stream.write, name)
            try:
                stream.write = ours
            except (AttributeError, TypeError):
                continue
            self._changed.append((stream, ours))

    def remove(self) -> None:
        for stream, ours in self._changed:
            # Whoever has replaced ours since keeps what is theirs.
            if vars(stream).get("write") is ours:
                del stream.write
        self._changed.clear()

    def _around(self, before, name: str):
        def write(text):
            try:
                self._note(name, text)
            except Exception as error:
                self._session.trouble("listening to what is printed failed", error)
            return before(text)

        return write

    def _note(self, name: str, text) -> None:
        ident = get_ident()
        if type(text) is not str or self._session.is_busy(ident):
            return
        key = (ident, name)
        *lines, rest = (self._begun.pop(key, "") + text).split("\n")
        for line in lines:
            self._session.hits.printed(name, line[:MOST])
        if rest and len(self._begun) < MOST_BEGUN:
            self._begun[key] = rest[:MOST]
