"""Frames as DAP sees them: ours hidden, foreign ones told apart."""

from __future__ import annotations

import fnmatch
import os
import sys
import sysconfig

# Asked for at once: it imports a module, which the serving thread must not (dormant.py).
_PATHS = sysconfig.get_paths()
_HERE = os.path.dirname(os.path.abspath(__file__)) + os.sep


def is_ours(frame) -> bool:
    """Whether `frame` runs code of the agent."""
    return frame.f_code.co_filename.startswith(_HERE)


def innermost(frame):
    """The first frame from `frame` outwards that is the program's."""
    while frame is not None and is_ours(frame):
        frame = frame.f_back
    return frame


def frames_of(frame) -> list:
    """The program's frames from `frame` outwards."""
    frames = []
    while frame is not None:
        if not is_ours(frame):
            frames.append(frame)
        frame = frame.f_back
    return frames


def function_name(code) -> str:
    """`Class.method` where the interpreter knows it (3.11), else the bare name."""
    name = getattr(code, "co_qualname", code.co_name)
    return name.replace(".<locals>.", ".")


class Foreign:
    """Which files are not the project's own: the library, installed packages, what the user adds."""

    def __init__(self, extra=()) -> None:
        folders = {_PATHS[key] for key in ("stdlib", "platstdlib", "purelib", "platlib") if _PATHS.get(key)}
        # A virtual environment's library is its base interpreter's.
        folders.add(os.path.dirname(os.path.abspath(os.__file__)))
        self._folders = tuple(os.path.join(folder, "") for folder in sorted(folders))
        self._extra = tuple(extra)
        self._known: dict = {}

    def is_foreign(self, path: str) -> bool:
        """Whether the file `path` (a code object's file name) is foreign."""
        known = self._known.get(path)
        if known is None:
            known = self._known[path] = self._decide(path)
        return known

    def _decide(self, path: str) -> bool:
        if path.startswith("<frozen") or path.startswith(_HERE):
            return True
        if any(fnmatch.fnmatch(path, pattern) for pattern in self._extra):
            return True
        full = os.path.abspath(path)
        if full.startswith(os.path.dirname(_HERE.rstrip(os.sep)) + os.sep + "boot" + os.sep):
            return True
        if any(part in full for part in ("/site-packages/", "/dist-packages/")):
            return True
        return full.startswith(self._folders)


def loaded_files(foreign: Foreign) -> list:
    """The files of all modules that are loaded now, as DAP Sources."""
    paths = set()
    for module in list(sys.modules.values()):
        path = getattr(module, "__file__", None)
        if isinstance(path, str) and path.endswith(".py") and not path.startswith(_HERE) and os.path.isfile(path):
            paths.add(os.path.abspath(path))
    found = [{"name": os.path.basename(path), "path": path} for path in sorted(paths)]
    return [dict(one, presentationHint="deemphasize") if foreign.is_foreign(one["path"]) else one for one in found]
