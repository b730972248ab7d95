"""The end of the program: what has been told by then is sent before.

A program that comes to its end runs what `atexit` has; one that leaves by `os._exit`, as the workers of pools and other
forks do, runs nothing, so that function waits for us while somebody is attached.
"""

from __future__ import annotations

import os

from . import description


class Ending:
    """The way out that is ours while a session lasts."""

    def __init__(self, session) -> None:
        self._session = session
        self._before = None
        self._ours = None

    def install(self) -> None:
        if self._ours is not None:
            return
        before, session = os._exit, self._session

        def _exit(status):
            session.last_words()
            description.forget()
            before(status)

        self._before, self._ours = before, _exit
        os._exit = _exit

    def remove(self) -> None:
        if self._ours is not None and os._exit is self._ours:
            os._exit = self._before
        self._ours = None
