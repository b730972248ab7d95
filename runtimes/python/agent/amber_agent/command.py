"""The program that was given on the command line (`python -c TEXT`): its code has the file name of all that is evaluated."""

from __future__ import annotations

import os
import sys
from types import CodeType

from . import cells, quiet
from .codes import codes_inside

# What stands for a file name of ours.
NAME = "-c"
EVALUATED = "<string>"
_parts: list = []


def filename(name: str) -> str:
    """The file name that code has which goes by a name."""
    if cells.is_name(name):
        return cells.filename(name)
    return EVALUATED if name == NAME else name


def is_part(code: CodeType) -> bool:
    """Whether a code object is of that program: by its name, its first line and what it is called with, which code with
    marks in it has too.
    """
    if code.co_filename != EVALUATED:
        return False
    if not _parts:
        _parts.append(_keys_in(text()))
    return _key(code) in _parts[0]


def text():
    """What was given with `-c`, or None."""
    arguments = getattr(sys, "orig_argv", None) or _arguments()
    for at, argument in enumerate(arguments[1:], 1):
        if argument == NAME:
            return arguments[at + 1] if at + 1 < len(arguments) else None
        if argument.startswith(NAME):
            return argument[len(NAME) :]
        if argument[:1] != "-":
            break
    return None


def _arguments() -> list:
    try:
        with open("/proc/self/cmdline", "rb") as file:
            return os.fsdecode(file.read()).split("\0")[:-1]
    except OSError:
        return []


def _key(code: CodeType) -> tuple:
    return code.co_name, code.co_firstlineno, code.co_argcount, code.co_kwonlyargcount


def _keys_in(program) -> set:
    if program is None:
        return set()
    try:
        whole = quiet.compile_code(quiet.parse(program, EVALUATED), EVALUATED)
    except (SyntaxError, ValueError):
        # Python itself has not run it either.
        return set()
    return {_key(code) for code in codes_inside([whole])}
