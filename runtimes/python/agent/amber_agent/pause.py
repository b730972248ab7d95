"""A paused thread: it waits inside our hook and does there what the client asks to see.

Values are read and expressions evaluated in the paused thread itself, so that thread-locals and context
variables are the ones of the request. The serving thread only passes the questions on.
"""

from __future__ import annotations

import ctypes
from _queue import SimpleQueue
from _thread import allocate_lock


class Cancelled(BaseException):
    """Raised inside a paused thread to end an evaluation that the client no longer waits for."""


class Action:
    """How a paused thread goes on: `mode` is resume, over, into or out."""

    __slots__ = ("mode", "anywhere")

    def __init__(self, mode: str, anywhere: bool = False) -> None:
        self.mode = mode
        self.anywhere = anywhere


class Stop:
    """One pause of one thread, with the handles given out during it."""

    def __init__(self, ident: int, thread_id: int, frame, reason: str, exception=None) -> None:
        self.ident = ident
        self.thread_id = thread_id
        self.frame = frame
        self.reason = reason
        self.exception = exception
        self.frames = None
        self.handles: dict = {}
        self._queue: SimpleQueue = SimpleQueue()
        self._lock = allocate_lock()
        self._running = None
        self._cancelled: set = set()
        self._action = None

    def ask(self, key: object, job) -> None:
        """Have `job` (a function without arguments that never raises) run in the paused thread."""
        self._queue.put((key, job))

    def go_on(self, action: Action) -> None:
        """Let the thread go on. Later questions are not answered any more."""
        self._action = action
        self._queue.put(None)

    def cancel(self, key: object) -> None:
        """End the job that was asked for under `key`: now, or as soon as its turn comes."""
        with self._lock:
            if self._running == key:
                self._interrupt()
            else:
                self._cancelled.add(key)

    def _interrupt(self) -> None:
        ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(self.ident), ctypes.py_object(Cancelled))

    def wait(self) -> Action:
        """Run in the paused thread: answer questions until told to go on.

        A KeyboardInterrupt (Ctrl-C in the program's own terminal) passes through: the program ends.
        """
        while True:
            try:
                item = self._queue.get()
                if item is None:
                    return self._action
                key, job = item
                self._answer(key, job)
            except Cancelled:
                # It came a moment after the job had ended by itself.
                continue

    def _answer(self, key: object, job) -> None:
        with self._lock:
            self._running = key
            if key in self._cancelled:
                self._cancelled.discard(key)
                self._interrupt()
        try:
            job()
        finally:
            with self._lock:
                self._running = None
            # A cancellation sent just before is delivered here, not in the program.
            for _ in range(64):
                pass
