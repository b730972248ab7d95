"""Stopping where a warning is about to be shown (module `warnings`).

Python asks `warnings._showwarnmsg` for each warning that its filters let through. While such a mark is on that
name is ours, and passes everything on to what was there; it is put back with the mark.
"""

from __future__ import annotations

import sys
from _thread import get_ident


class Warned:
    """The warning filters of a session."""

    def __init__(self, session) -> None:
        self._session = session
        self._filters: list = []
        self._before = None
        self._hook = None

    def set(self, filters: list) -> None:
        self._filters = filters
        if filters and self._before is None:
            import warnings

            self._before = warnings._showwarnmsg
            self._hook = self._show
            warnings._showwarnmsg = self._hook
        elif not filters and self._before is not None:
            import warnings

            # Whoever has wrapped ours since keeps it, and it then only passes on.
            if warnings._showwarnmsg == self._hook:
                warnings._showwarnmsg = self._before
                self._before = None

    def _show(self, message):
        try:
            self._seen(message.message)
        except Exception as error:
            self._session.trouble("a warning hook failed", error)
        return self._before(message)

    def _seen(self, warning: Warning) -> None:
        if self._session.is_busy(get_ident()):
            return
        if not any(filter_.matches(warning) for filter_ in self._filters):
            return
        frame = sys._getframe(2)
        # The frame that warns: past the module `warnings`, and past libraries when the project has called them.
        while frame is not None and frame.f_globals.get("__name__") == "warnings":
            frame = frame.f_back
        own = frame
        while own is not None and self._session.foreign.is_foreign(own.f_code.co_filename):
            own = own.f_back
        stopped = own or frame
        if stopped is not None:
            self._session.stop_here(stopped, "exception", exception=(warning, "warning"))
