"""What of a file is alive in this process: functions, running frames, suspended generators."""

from __future__ import annotations

import gc
import os
import sys
from types import AsyncGeneratorType, CodeType, CoroutineType, FunctionType, GeneratorType

from . import command

# Code of functions, as against modules and class bodies (CO_OPTIMIZED).
_OPTIMIZED = 0x1
# Relative file names in code objects are relative to the folder the program was started in.
_START_FOLDER = os.getcwd()
_real: dict = {}


def real_path(filename: str) -> str:
    """A code object's file name as the one name of that file (absolute, links resolved)."""
    known = _real.get(filename)
    if known is None:
        known = os.path.realpath(os.path.join(_START_FOLDER, filename)) if filename[:1] != "<" and filename != command.NAME else filename
        _real[filename] = known
    return known


def name_of(code: CodeType) -> str:
    """The name of the file of a code object, or what goes for one."""
    return command.NAME if command.is_part(code) else real_path(code.co_filename)


def is_of_function(code: CodeType) -> bool:
    """Whether it is a function's, as against a module's or a class's."""
    return bool(code.co_flags & _OPTIMIZED)


class Live:
    """A snapshot of everything that holds code of one file."""

    def __init__(self, path: str) -> None:
        self.functions: list = []
        # Frames on the stack of a thread: (ident, frame).
        self.running: list = []
        # Frames of generators and coroutines that are suspended now.
        self.suspended: list = []
        for item in gc.get_objects():
            kind = type(item)
            if kind is FunctionType:
                # From 3.11 on the interpreter wraps module code in a function object of its own.
                if is_of_function(item.__code__) and name_of(item.__code__) == path:
                    self.functions.append(item)
            elif kind is GeneratorType:
                self._suspended(item.gi_frame, path)
            elif kind is CoroutineType:
                self._suspended(item.cr_frame, path)
            elif kind is AsyncGeneratorType:
                self._suspended(item.ag_frame, path)
        on_stack = set()
        for ident, frame in sys._current_frames().items():
            while frame is not None:
                if name_of(frame.f_code) == path:
                    self.running.append((ident, frame))
                    on_stack.add(id(frame))
                frame = frame.f_back
        self.suspended = [frame for frame in self.suspended if id(frame) not in on_stack]

    def _suspended(self, frame, path: str) -> None:
        if frame is not None and name_of(frame.f_code) == path:
            self.suspended.append(frame)

    def codes(self) -> list:
        """The code objects held, each once."""
        found: dict = {}
        for function in self.functions:
            found[id(function.__code__)] = function.__code__
        for frame in [item for _ident, item in self.running] + self.suspended:
            found[id(frame.f_code)] = frame.f_code
        return list(found.values())

    def __bool__(self) -> bool:
        return bool(self.functions or self.running or self.suspended)


def equal_codes(one: CodeType, other: CodeType) -> bool:
    """Whether two code objects come from the same source text, lines included."""
    return (
        one == other
        and one.co_firstlineno == other.co_firstlineno
        and getattr(one, "co_qualname", "") == getattr(other, "co_qualname", "")
        and _line_table(one) == _line_table(other)
    )


def _line_table(code: CodeType):
    table = getattr(code, "co_linetable", None)
    return code.co_lnotab if table is None else table
