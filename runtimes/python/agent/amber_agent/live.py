"""What of a file is alive in this process: functions, running frames, suspended generators."""

from __future__ import annotations

import gc
import os
import sys
from types import AsyncGeneratorType, CodeType, CoroutineType, FunctionType, GeneratorType

from . import cells, command

# Code of functions, as against modules and class bodies (CO_OPTIMIZED).
_OPTIMIZED = 0x1
# Relative file names in code objects are relative to the folder the program was started in.
_START_FOLDER = os.getcwd()
_real: dict = {}


def real_path(filename: str) -> str:
    """A code object's file name as the one name of that file (absolute, links resolved)."""
    known = _real.get(filename)
    if known is None:
        known = filename if is_name(filename) else os.path.realpath(os.path.join(_START_FOLDER, filename))
        _real[filename] = known
    return known


def is_name(filename: str) -> bool:
    """Whether it stands for code that no file has."""
    return filename[:1] == "<" or filename == command.NAME or cells.is_name(filename)


def name_of(code: CodeType) -> str:
    """The name of the file of a code object, or what goes for one."""
    if command.is_part(code):
        return command.NAME
    return cells.name_of(code.co_filename) or real_path(code.co_filename)


def is_of_function(code: CodeType) -> bool:
    """Whether it is a function's, as against a module's or a class's."""
    return bool(code.co_flags & _OPTIMIZED)


class Live:
    """What holds code of one file."""

    def __init__(self, path: str) -> None:
        self.path = path
        self.functions: list = []
        # Frames on the stack of a thread: (ident, frame).
        self.running: list = []
        # Frames of generators and coroutines that are suspended now.
        self.suspended: list = []

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


def live_of(path: str) -> Live:
    """A snapshot of everything that holds code of one file."""
    return live_in([path])[path]


def live_in(paths) -> dict:
    """The same of several files: {path: Live}, for which all that is in memory is looked at once."""
    found = {path: Live(path) for path in paths}
    # Of the many functions that there are most are of few files.
    names: dict = {}

    def of(code: CodeType):
        filename = code.co_filename
        if filename == command.EVALUATED:
            return found.get(name_of(code))
        if filename not in names:
            names[filename] = found.get(name_of(code))
        return names[filename]

    def suspended(frame) -> None:
        live = None if frame is None else of(frame.f_code)
        if live is not None:
            live.suspended.append(frame)

    for item in gc.get_objects():
        kind = type(item)
        if kind is FunctionType:
            live = of(item.__code__)
            # From 3.11 on the interpreter wraps module code in a function object of its own.
            if live is not None and is_of_function(item.__code__):
                live.functions.append(item)
        elif kind is GeneratorType:
            suspended(item.gi_frame)
        elif kind is CoroutineType:
            suspended(item.cr_frame)
        elif kind is AsyncGeneratorType:
            suspended(item.ag_frame)
    on_stack = set()
    for ident, frame in sys._current_frames().items():
        while frame is not None:
            live = of(frame.f_code)
            if live is not None:
                live.running.append((ident, frame))
                on_stack.add(id(frame))
            frame = frame.f_back
    for live in found.values():
        live.suspended = [frame for frame in live.suspended if id(frame) not in on_stack]
    return found


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
