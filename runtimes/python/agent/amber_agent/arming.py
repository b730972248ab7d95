"""Tracing a thread that already runs, on Python 3.9 to 3.11, where only a thread itself can trace itself.

The C function `_PyEval_SetTrace` takes the state of any thread. What is set there is a small callback that,
at the thread's next event, runs in that thread and puts a Python trace function in its own place.
"""

from __future__ import annotations

import ctypes
import sys
import time

_api = ctypes.pythonapi
available = (3, 9) <= sys.version_info[:2] <= (3, 11) and hasattr(_api, "_PyEval_SetTrace")

_TRACE = ctypes.PYFUNCTYPE(
    ctypes.c_int, ctypes.c_void_p, ctypes.py_object, ctypes.c_int, ctypes.c_void_p
)
# Callbacks may still be called after they were replaced, so they live as long as the process.
_kept: list = []

if available:
    _api.PyInterpreterState_Get.restype = ctypes.c_void_p
    _api.PyInterpreterState_ThreadHead.restype = ctypes.c_void_p
    _api.PyInterpreterState_ThreadHead.argtypes = [ctypes.c_void_p]
    _api.PyThreadState_Next.restype = ctypes.c_void_p
    _api.PyThreadState_Next.argtypes = [ctypes.c_void_p]
    _api.PyThreadState_GetFrame.restype = ctypes.c_void_p
    _api.PyThreadState_GetFrame.argtypes = [ctypes.c_void_p]
    _api.Py_DecRef.argtypes = [ctypes.py_object]


def call_in_thread(ident: int, function, failed) -> bool:
    """Call `function(frame)` in another thread at its next event (a line, a call, a return).

    Returns False where that cannot be done. `failed(error)` is told when the function raises.
    """
    if not available:
        return False

    def at_event(_self, frame, _what, _arg) -> int:
        try:
            sys.settrace(None)
            function(frame)
        except Exception as error:
            failed(error)
        return 0

    callback = _TRACE(at_event)
    _kept.append(callback)
    return _set_trace(ident, ctypes.cast(callback, ctypes.c_void_p))


def stop_tracing(ident: int) -> bool:
    """Take any trace function out of another thread at once."""
    return available and _set_trace(ident, None)


def _set_trace(ident: int, callback) -> bool:
    owner = ctypes.py_object(_kept) if callback is not None else None
    for _attempt in range(20):
        # No other thread may run between finding the thread's state and using it: it might end meanwhile.
        with _turn:
            state = _state_of(ident)
            if not state:
                return False
            pointer = ctypes.c_void_p(state)
            if _turn.lasts():
                _api._PyEval_SetTrace(pointer, callback, owner)
                return True
    return False


class _Turn:
    """This thread's turn with the interpreter, which no other thread cuts short.

    A thread that waits for its turn asks for it only when nobody else has had one for a whole switch interval.
    So a thread that comes back from a pause runs undisturbed for that long. (A very long interval would not do:
    who waits already waits for the old one, and the thread itself would then wait for the new one.)
    """

    _LEAST = 0.005

    def __init__(self) -> None:
        self._until = 0.0
        self._short = 0.0

    def __enter__(self) -> None:
        if self.lasts():
            return
        interval = sys.getswitchinterval()
        if interval < self._LEAST:
            self._short = interval
            sys.setswitchinterval(self._LEAST)
        # Long enough that everybody who waits has begun to wait anew.
        time.sleep(max(2 * self._short, 0.0001))
        self._until = time.perf_counter() + self._LEAST / 2

    def __exit__(self, *_error) -> None:
        if self._short:
            # With the program's own interval this turn is over.
            sys.setswitchinterval(self._short)
            self._short = self._until = 0.0

    def lasts(self) -> bool:
        return time.perf_counter() < self._until


_turn = _Turn()


def _state_of(ident: int) -> int:
    """The thread's state: the one whose innermost frame is the thread's."""
    frame = sys._current_frames().get(ident)
    if frame is None:
        return 0
    state = _api.PyInterpreterState_ThreadHead(_api.PyInterpreterState_Get())
    while state:
        found = _api.PyThreadState_GetFrame(state)
        if found:
            same = found == id(frame)
            # GetFrame gave a reference of its own.
            _api.Py_DecRef(ctypes.cast(found, ctypes.py_object))
            if same:
                return state
        state = _api.PyThreadState_Next(state)
    return 0
