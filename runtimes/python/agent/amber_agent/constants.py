"""Replacing a constant of code that is running (Python 3.11 and before).

A function that is defined by a running frame, such as the main script's, is made from a code constant of
that frame. To have the functions it will still define carry their marks, the constant itself is exchanged:
the tuple's slot, with the counts of references kept right. Layout: PyTupleObject in CPython's tupleobject.h.
"""

from __future__ import annotations

import ctypes
from types import CodeType


class SwappedConstants:
    """The slots that were exchanged, to be put back."""

    def __init__(self) -> None:
        self._slots: dict = {}

    def swap(self, code: CodeType, old: CodeType, new: CodeType) -> bool:
        """Exchange constant `old` of `code` for `new`. Returns False where it is not among them."""
        consts = code.co_consts
        for index, item in enumerate(consts):
            if item is old:
                key = (id(consts), index)
                self._slots.setdefault(key, (consts, index, old))
                _write(consts, index, new)
                return True
        return False

    def restore(self) -> None:
        for consts, index, old in self._slots.values():
            if consts[index] is not old:
                _write(consts, index, old)
        self._slots.clear()


def _write(consts: tuple, index: int, new: CodeType) -> None:
    size = ctypes.sizeof(ctypes.c_void_p)
    slot = ctypes.c_void_p.from_address(id(consts) + tuple.__basicsize__ + index * size)
    old = consts[index]
    ctypes.pythonapi.Py_IncRef(ctypes.py_object(new))
    slot.value = id(new)
    # `old` keeps the object alive until this frame ends.
    ctypes.pythonapi.Py_DecRef(ctypes.py_object(old))
