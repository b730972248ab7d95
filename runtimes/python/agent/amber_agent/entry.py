"""Under `amber launch`: the program waits before its first line until the client is there."""

from __future__ import annotations

import os
import sys
import time

from .stack import is_ours

# A client that has not come by then will not; the program must not hang.
PATIENCE_SECONDS = 30.0

_state: dict = {"ready": False}


def expect_client() -> None:
    """From now on a client that is ready is remembered for `wait_for_client`."""
    from _queue import SimpleQueue

    _state["queue"] = SimpleQueue()


def expect_nobody() -> None:
    """Another interpreter has the launch."""
    _state.pop("queue", None)


def wait_for_client(serve) -> None:
    """Block the main thread until the client has set its marks; then stop at the first line of `__main__`."""
    from _queue import Empty

    parent = os.getppid()
    queue = _state["queue"]
    serve()
    deadline = time.monotonic() + PATIENCE_SECONDS
    session = None
    while time.monotonic() < deadline and os.getppid() == parent:
        try:
            session = queue.get(timeout=0.5)
            break
        except Empty:
            continue
    expect_nobody()
    if session is not None and session.stop_on_entry:
        sys.settrace(_Entry(session).call)


def client_is_ready(session) -> None:
    """The client has said `configurationDone`."""
    queue = _state.get("queue")
    if queue is not None:
        queue.put(session)


class _Entry:
    def __init__(self, session) -> None:
        self._session = session

    def call(self, frame, _event, _arg):
        """Wait for the frame of the main program."""
        if frame.f_globals.get("__name__") != "__main__" or frame.f_code.co_name != "<module>":
            return None
        if is_ours(frame) or frame.f_code.co_filename.startswith("<frozen"):
            return None
        return self._line

    def _line(self, frame, event, _arg):
        if event != "line":
            return self._line
        sys.settrace(None)
        frame.f_trace = None
        self._session.stop_here(frame, "entry")
        return None
