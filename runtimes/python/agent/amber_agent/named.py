"""Marks at functions by name: every function of that name, those that are there and those that come."""

from __future__ import annotations

import gc
import sys
from threading import Lock
from types import CodeType, FunctionType

from . import nameless
from .bind import NoText
from .lines import first_line
from .live import is_of_function, name_of, real_path
from .nameless import has_file

# Seconds for which a module that is being imported waits for the client's own change of such marks.
PATIENCE = 0.5


class NamedFunctions:
    """The function breakpoints of a client, and where they are."""

    def __init__(self, session, keep) -> None:
        self._session = session
        # Brings the marks of a file in line with what is asked for: keep(path).
        self._keep = keep
        self._lock = Lock()
        self.wanted: list = []

    def set(self, wanted: list) -> set:
        """These are asked for from now on. Gives the files whose marks change."""
        with self._lock:
            touched = self.paths()
            self.wanted = wanted
            for item in wanted:
                if not item.trouble:
                    self._find(item)
            return touched | self.paths()

    def waits(self) -> bool:
        """Whether a function is not there yet, or is in code that may be evaluated once more under its name."""
        return any(not item.trouble and all(not has_file(place.path) for place in item.places) for item in self.wanted)

    def paths(self) -> set:
        return {place.path for item in self.wanted for place in item.places}

    def places_in(self, path: str) -> list:
        return [place for item in self.wanted for place in item.places if place.path == path]

    def on_import(self, code: CodeType) -> None:
        """A module's code is about to run, for the first time or once more: its functions are not there yet."""
        if not self.wanted or self._session.foreign.is_foreign(code.co_filename):
            return
        path = real_path(code.co_filename)
        is_free = self._lock.acquire(timeout=PATIENCE)
        try:
            before = self.places_in(path)
            for item in self.wanted:
                item.keep_counts()
                item.places = [place for place in item.places if place.path != path]
                if not item.trouble:
                    self._add(item, [one for name, one in _inner(code, "") if _is_called(item.name, name, "")])
            if before or self.places_in(path):
                self._keep(path)
        finally:
            if is_free:
                self._lock.release()

    def _find(self, item) -> None:
        item.places = []
        self._add(item, functions_named(item.name, self._session.foreign.is_foreign))

    def _add(self, item, codes: list) -> None:
        for code in codes:
            path = name_of(code)
            try:
                lines = self._session.binder.file(path).source().lines
            except NoText:
                extent = nameless.body_of(code)
                item.add(path, extent[0], extent)
                continue
            except (OSError, SyntaxError, ValueError):
                # A file that cannot be read has no place for a mark.
                continue
            inside = [
                statement
                for statement in lines.statements
                if first_line(statement.node) == code.co_firstlineno and statement.node.lineno
            ]
            place = lines.place(inside[0].node.lineno) if inside else None
            line = place.line if place else code.co_firstlineno
            extent = [line, inside[0].node.end_lineno] if inside else None
            item.add(path, line, extent)


def functions_named(name: str, is_foreign) -> list:
    """The code of functions called `name` (`quote`, `Desk.quote` or `fares.quote`), the project's own if there are any."""
    own: dict = {}
    others: dict = {}

    def look(code: CodeType, qualified: str, module: str) -> None:
        if is_of_function(code) and _is_called(name, qualified, module):
            found = others if is_foreign(code.co_filename) else own
            found.setdefault((name_of(code), code.co_firstlineno, code.co_name), code)

    def look_inside(code: CodeType, qualified: str, module: str) -> None:
        if not is_foreign(code.co_filename):
            for inner_name, inner in _inner(code, qualified):
                look(inner, inner_name, module)

    for item in gc.get_objects():
        if type(item) is FunctionType:
            module = item.__module__ or ""
            qualified = item.__qualname__.replace(".<locals>.", ".")
            look(item.__code__, qualified, module)
            look_inside(item.__code__, qualified, module)
    # A module that runs has functions that it has still to define.
    for frame in list(sys._current_frames().values()):
        while frame is not None:
            if frame.f_code.co_name == "<module>":
                look_inside(frame.f_code, "", str(frame.f_globals.get("__name__", "")))
            frame = frame.f_back
    return list(own.values()) or list(others.values())


def _inner(code: CodeType, qualified: str):
    """All functions that a code object makes, at whatever depth: (name, code)."""
    for inner in code.co_consts:
        if isinstance(inner, CodeType):
            name = "%s.%s" % (qualified, inner.co_name) if qualified else inner.co_name
            if is_of_function(inner):
                yield name, inner
            yield from _inner(inner, name)


def _is_called(name: str, qualified: str, module: str) -> bool:
    full = "%s.%s" % (module, qualified)
    return name == qualified or full.endswith("." + name) or qualified.endswith("." + name)
