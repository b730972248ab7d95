"""Threads of the program as DAP sees them: small numbers, names, the agent's own left out."""

from __future__ import annotations

import sys
import threading


class Threads:
    """Numbers threads as they are first seen; a number is never used for another thread."""

    def __init__(self) -> None:
        self._ids: dict = {}
        self._next = 1
        self.id_of(threading.main_thread().ident)

    def id_of(self, ident: int) -> int:
        """The DAP thread id of a thread."""
        thread = threading._active.get(ident)
        known = self._ids.get(ident)
        # The system uses an ident again when its thread has ended; the Thread object tells.
        if known is None or known[1] is not thread:
            known = self._ids[ident] = (self._next, thread)
            self._next += 1
        return known[0]

    def ident_of(self, thread_id: int) -> int:
        """The ident of a DAP thread id; 0 when there is no such thread any more."""
        for ident, (number, _thread) in self._ids.items():
            if number == thread_id:
                return ident
        return 0

    def list(self, serving_ident: int) -> list:
        """The DAP threads that are alive."""
        alive = [ident for ident in sys._current_frames() if ident != serving_ident]
        self._ids = {ident: known for ident, known in self._ids.items() if ident in alive}
        main = threading.main_thread().ident
        alive.sort(key=lambda ident: (ident != main, self.id_of(ident)))
        return [{"id": self.id_of(ident), "name": self.name_of(ident)} for ident in alive]

    def name_of(self, ident: int) -> str:
        thread = threading._active.get(ident)
        return thread.name if thread is not None else "thread %d" % self.id_of(ident)
