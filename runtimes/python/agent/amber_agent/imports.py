"""Marks in modules that are imported while a client is attached."""

from __future__ import annotations

import importlib.util
import sys
from importlib import _bootstrap
from importlib.machinery import SourceFileLoader

from .live import real_path


def maker_of(path: str) -> str:
    """The name of the import hook that has made a module's code out of a file; "" where Python itself has."""
    for module in list(sys.modules.values()):
        spec = getattr(module, "__spec__", None)
        loader, origin = getattr(spec, "loader", None), getattr(spec, "origin", None)
        if loader is None or not isinstance(origin, str) or isinstance(loader, SourceFileLoader):
            continue
        if real_path(origin) == path:
            return loader.__name__ if isinstance(loader, type) else type(loader).__name__
    return ""


class ImportHook:
    """Puts itself around the loader's `get_code`, which gives the code of each module before it runs.

    What other loaders make is not known before: their modules are looked at as soon as they have run.
    """

    def __init__(self, session) -> None:
        self._session = session
        self._original = None
        # (module, what was there, what is there now) of the functions that make modules.
        self._makers: list = []

    def install(self) -> None:
        if self._original is not None:
            return
        original = self._original = SourceFileLoader.get_code
        session = self._session

        def get_code(loader, fullname):
            code = original(loader, fullname)
            if code is None:
                return code
            try:
                return session.binder.on_import(code)
            except Exception as error:
                session.trouble("%s is imported without its marks" % fullname, error)
                return code

        SourceFileLoader.get_code = get_code
        for place in (_bootstrap, importlib.util):
            before = place.module_from_spec
            ours = self._noticing(before)
            self._makers.append((place, before, ours))
            place.module_from_spec = ours

    def _noticing(self, before):
        def module_from_spec(spec):
            module = before(spec)
            try:
                self._expect(spec)
            except Exception as error:
                self._session.trouble("the loading of a module is not noticed", error)
            return module

        return module_from_spec

    def _expect(self, spec) -> None:
        """Has the marks of a module set once it has run, where another loader than Python's own makes its code."""
        loader, origin = spec.loader, spec.origin
        if loader is None or isinstance(loader, (type, SourceFileLoader)) or not isinstance(origin, str):
            return
        path = real_path(origin)
        session = self._session
        if not session.marks.of(path) or not hasattr(loader, "__dict__"):
            return
        run = loader.exec_module

        def exec_module(module):
            loader.__dict__.pop("exec_module", None)
            done = run(module)
            self.loaded(path)
            return done

        loader.exec_module = exec_module

    def loaded(self, path: str) -> None:
        """Set the marks of a file whose code is there now, though Python's own loader has not told of it."""
        try:
            marks = self._session.marks.of(path)
            self._session.binder.apply(path, marks)
            for mark in marks:
                self._session.mark_changed(mark)
        except Exception as error:
            self._session.trouble("%s is loaded without its marks" % path, error)

    def remove(self) -> None:
        if self._original is None:
            return
        for place, before, ours in self._makers:
            # Whoever has replaced it since keeps what is theirs.
            if place.module_from_spec is ours:
                place.module_from_spec = before
        self._makers.clear()
        # `get_code` is inherited from a base class, so there was nothing of its own to put back.
        if "get_code" in SourceFileLoader.__dict__ and self._inherited():
            del SourceFileLoader.get_code
        else:
            SourceFileLoader.get_code = self._original
        self._original = None

    def _inherited(self) -> bool:
        return any(base.__dict__.get("get_code") is self._original for base in SourceFileLoader.__mro__[1:])
