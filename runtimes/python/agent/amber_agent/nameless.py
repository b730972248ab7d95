"""Code that no file has: evaluated, generated, typed in, given on the command line, or packed in an archive.

It goes by the name that its code objects have (`<string>`, `/desk/app.zip/fares.py`). Its text is shown where the
language keeps it; the functions `exec` and `compile` are left alone, so what they are given from now on is not kept.
"""

from __future__ import annotations

import gc
import os
import sys
import tokenize
from itertools import count
from types import CodeType, FunctionType

from . import cells, command
from .live import is_name, is_of_function, name_of, real_path
from .source import own_lines

# What is said of a mark in it.
NO_TEXT = "its code has no file, and its text is not to be had"
STALE = "the text that is kept of it is not the code that is running"
# Functions that are named of a piece of code.
NAMED = 3

_numbers = count(1)
# name -> the number that stands for its text in DAP.
_known: dict = {}


def has_file(filename: str) -> bool:
    """Whether a code object's file name is that of a file."""
    return not is_name(filename) and os.path.isfile(real_path(filename))


def source_of(code: CodeType) -> dict:
    """The DAP Source of a code object."""
    path = code.co_filename
    if has_file(path):
        return {"name": os.path.basename(path), "path": os.path.abspath(path)}
    number = number_of(code)
    return {"name": name_of(code), "sourceReference": number, **({} if number else {"presentationHint": "deemphasize"})}


def text_of(filename: str):
    """The text of such code as the language keeps it, or None.

    linecache has what is typed in and what some generators put there (its cache holds a size, a time, the lines and a
    name, or a function that gives the text); archives have a loader that reads them; `-c` is on the command line.
    """
    if filename == command.NAME:
        return command.text()
    if cells.is_name(filename):
        return cells.text_of(filename)
    if filename == command.EVALUATED:
        # Everything that is evaluated has this name; from 3.13 on linecache has what was given with `-c` under it.
        return None
    entry = getattr(sys.modules.get("linecache"), "cache", {}).get(filename)
    try:
        if isinstance(entry, tuple) and len(entry) == 4:
            return "".join(entry[2])
        if isinstance(entry, tuple) and len(entry) == 1:
            return entry[0]()
        for module in list(sys.modules.values()):
            spec = getattr(module, "__spec__", None)
            if any(isinstance(one, str) and real_path(one) == filename for one in (getattr(module, "__file__", None), getattr(spec, "origin", None))):
                get_source = getattr(getattr(spec, "loader", None), "get_source", None)
                return None if get_source is None else get_source(spec.name)
    except Exception:
        # A loader of the program's own may fail; then there is no text.
        return None
    return None


def number_of(code: CodeType) -> int:
    """The number by which the text of a code object is asked for; 0 where it is not to be had."""
    name = name_of(code)
    return _known.setdefault(name, next(_numbers)) if text_of(name) is not None else 0


def read(path: str):
    """The text of a file, or of code that no file has; or None."""
    if not has_file(path):
        return text_of(path)
    try:
        with tokenize.open(path) as file:
            return file.read()
    except (OSError, SyntaxError, ValueError):
        return None


def numbered(number: int):
    """The text with this number, or None."""
    name = next((name for name, one in _known.items() if one == number), None)
    return None if name is None else text_of(name)


def loaded(foreign) -> list:
    """What is there of such code: a DAP Source for each name, in the order of the names.

    What the library and installed packages generate, for instance the methods of a data class, is left out.
    """
    found: dict = {}
    for code, scope in _codes():
        if _is_projects(code, scope, foreign):
            found.setdefault(name_of(code), []).append(code)
    return [_source(name, codes) for name, codes in sorted(found.items())]


def lines_of(codes: list) -> list:
    """The lines that can take a mark of code whose text is not to be had: those with instructions of their own."""
    found: set = set()
    for code in codes:
        lines = own_lines(code)
        # The line of the `def` itself is where a call begins, not one that runs.
        found |= {line for line in lines if line > code.co_firstlineno} or lines
    return sorted(found)


def body_of(code: CodeType) -> list:
    """The first line of a function's body, and its last."""
    lines = lines_of([code])
    return [lines[0], lines[-1]]


def _source(name: str, codes: list) -> dict:
    functions = list(dict.fromkeys(code.co_name for code in codes if code.co_name[:1] != "<"))
    more = ", …" if len(functions) > NAMED else ""
    numbers = [number_of(code) for code in codes]
    source = {"name": name, "sourceReference": max(numbers)}
    if functions:
        source["origin"] = "%s%s" % (", ".join("%s()" % one for one in functions[:NAMED]), more)
    return source


def _codes():
    """Every code object without a file that a function or a running frame has, with the names that it sees."""
    for item in gc.get_objects():
        if type(item) is FunctionType and is_of_function(item.__code__) and not has_file(item.__code__.co_filename):
            yield item.__code__, item.__globals__
    for frame in list(sys._current_frames().values()):
        while frame is not None:
            if not has_file(frame.f_code.co_filename):
                yield frame.f_code, frame.f_globals
            frame = frame.f_back


def _is_projects(code: CodeType, scope: dict, foreign) -> bool:
    if foreign.is_foreign(code.co_filename):
        return False
    name = scope.get("__name__")
    module = sys.modules.get(name) if isinstance(name, str) else None
    file = getattr(module, "__file__", None)
    # The method that every named tuple has is generated by the library under this name.
    return not (isinstance(name, str) and name.startswith("namedtuple_")) and not (isinstance(file, str) and foreign.is_foreign(file))
