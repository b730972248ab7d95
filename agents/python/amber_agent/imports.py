"""Marks in modules that are imported while a client is attached."""

from __future__ import annotations

from importlib.machinery import SourceFileLoader


class ImportHook:
    """Puts itself around the loader's `get_code`, which gives the code of each module before it runs."""

    def __init__(self, session) -> None:
        self._session = session
        self._original = None

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

    def remove(self) -> None:
        if self._original is None:
            return
        # `get_code` is inherited from a base class, so there was nothing of its own to put back.
        if "get_code" in SourceFileLoader.__dict__ and self._inherited():
            del SourceFileLoader.get_code
        else:
            SourceFileLoader.get_code = self._original
        self._original = None

    def _inherited(self) -> bool:
        return any(base.__dict__.get("get_code") is self._original for base in SourceFileLoader.__mro__[1:])
