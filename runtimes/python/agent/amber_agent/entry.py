"""Under `amber launch`: the program waits before its first line until the client is there."""

from __future__ import annotations

import os
import sys
import time

from .stack import is_ours

# A client that has not come by then will not; the program must not hang.
PATIENCE_SECONDS = 30.0
# Where the launch says who it is, in what it has left for the processes that wait.
_LAUNCHER = b'"launcher":'
# How the name begins that a client gives to those who are to wait for it; its process comes next.
_JOINS = "join-"

_state: dict = {"ready": False}


def expect_client() -> None:
    """From now on a client that is ready is remembered for `wait_for_client`."""
    from _queue import SimpleQueue

    _state["queue"] = SimpleQueue()


def expect_nobody() -> None:
    """Another interpreter has the launch."""
    _state.pop("queue", None)


def is_on(claim: str) -> bool:
    """Whether the `amber launch` that a file claims is there still: it has left its number beside that file."""
    return _is_alive(_launcher(claim))


def _launcher(claim: str) -> int:
    """The process of a launch, or of whoever is attached and has forks wait (`join-PID-…`); 0 where it is over."""
    name = claim.rpartition("/")[2]
    if name.startswith(_JOINS):
        return int(name[len(_JOINS) :].partition("-")[0])
    try:
        handle = os.open(claim + ".json", os.O_RDONLY | os.O_CLOEXEC)
        try:
            text = os.read(handle, os.fstat(handle).st_size)
        finally:
            os.close(handle)
        return int(text[text.rindex(_LAUNCHER) + len(_LAUNCHER) :].split(b",")[0].rstrip(b"}\n "))
    except (OSError, ValueError):
        return 0


def _is_alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
        return pid > 0
    except PermissionError:
        # It is another user's, and there.
        return True
    except OSError:
        return False


def wait_for_client(serve, claim: str, begins: bool, seconds: float = PATIENCE_SECONDS) -> None:
    """Block the main thread until the client has set its marks; where it wants that, stop at the first line of `__main__`.

    `begins`: whether that line is still to come, which it is not in a process that was forked; `seconds`: how long at most.
    """
    from _queue import Empty

    queue = _state["queue"]
    serve()
    deadline = time.monotonic() + seconds
    session = None
    while time.monotonic() < deadline and is_on(claim):
        try:
            session = queue.get(timeout=0.5)
            break
        except Empty:
            continue
    expect_nobody()
    if session is not None and begins:
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
        # The interpreter itself has compiled this file, and no loader tells of it.
        from .live import real_path

        self._session.imports.loaded(real_path(frame.f_code.co_filename))
        if self._session.stop_on_entry:
            self._session.stop_here(frame, "entry")
        return None
