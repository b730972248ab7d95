"""Cells: what a notebook's front end or a prompt of IPython has had run, by its execution number.

IPython runs each statement of a cell as code of its own, under a name that it keeps with the number and the text
(`InteractiveShell.compile`, its `_filename_map`, and linecache). A cell goes by `cell 3` wherever a file has its path;
those of a notebook that we run ourselves (notebook.py) by their place in it, `season.ipynb#2`.
"""

from __future__ import annotations

import re
import sys
from types import CodeType

_NAMED = re.compile(r"cell ([1-9]\d*)$")
# What code of a cell is called by an IPython that keeps no map of its names.
_NUMBERED = re.compile(r"<ipython-input-(\d+)-")
_PLACED = re.compile(r"[^/]*\.ipynb#[1-9]\d*$")
# What the compiler has been told to do otherwise by `from __future__ import` (CO_FUTURE_*).
FUTURE = 0x1FE0000
# Awaiting outside of functions (ast.PyCF_ALLOW_TOP_LEVEL_AWAIT).
_AWAITS = 0x2000


_WORD = re.compile(r"[^\W\d]\w*")
# What runs the cells of a notebook where there is no IPython.
_plain: list = []


def use(plain) -> None:
    """Cells are run by this, which has of IPython's shell what is asked for here."""
    _plain.append(plain)


def shell():
    """The IPython that runs in this process, or what stands for it, or None."""
    if _plain:
        return _plain[0]
    module = sys.modules.get("IPython.core.interactiveshell")
    return getattr(getattr(module, "InteractiveShell", None), "_instance", None)


def is_name(name: str) -> bool:
    """Whether it is what a cell goes by."""
    return name[:5] == "cell " and _NAMED.match(name) is not None or is_placed(name)


def is_placed(name: str) -> bool:
    """Whether it is what a cell goes by of a notebook that we run."""
    return ".ipynb#" in name and _PLACED.match(name) is not None


def name_of(filename: str):
    """What the cell goes by whose code has this file name, or None."""
    running = shell()
    if running is None:
        return None
    if is_placed(filename):
        return filename
    number = _map(running).get(filename)
    if number is None and filename[:1] == "<":
        match = _NUMBERED.match(filename)
        number = match and int(match.group(1))
    return "cell %d" % number if number else None


def filename(name: str) -> str:
    """The file name that code of a cell has, or its name where nobody knows."""
    running = shell()
    if running is None or is_placed(name):
        return name
    number = int(name[5:])
    known = _map(running)
    for file, one in known.items():
        if one == number:
            return file
    # The same text has been run since, and has another number.
    history = running.user_ns.get("In") or ()
    text = history[number].rstrip() if number < len(history) else None
    for file in known if text else ():
        if (_kept(file) or "").rstrip() == text:
            return file
    return next((file for file in _kept_names() if file.startswith("<ipython-input-%d-" % number)), name)


def text_of(name: str):
    """The text of a cell as Python has run it, or None."""
    return _kept(filename(name))


def words_of(name: str) -> list:
    """What may be names in the text of a cell, each once, in its order."""
    return list(dict.fromkeys(_WORD.findall(text_of(name) or "")))


def flags() -> int:
    """With which the compiler reads the text of cells."""
    running = shell()
    return (running.compile.flags & FUTURE | _AWAITS) if running is not None else 0


def flags_of(code: CodeType) -> int:
    """With which the compiler has read what this code was made from."""
    return code.co_flags & FUTURE | _AWAITS


def all_of() -> list:
    """Every cell that was run: its number and its text, in the order of the numbers."""
    running = shell()
    history = running.user_ns.get("In") or () if running is not None else ()
    return [(number, str(text)) for number, text in enumerate(history) if number and text]


def _map(running) -> dict:
    return getattr(running.compile, "_filename_map", None) or {}


def _kept(file: str):
    entry = getattr(sys.modules.get("linecache"), "cache", {}).get(file)
    return "".join(entry[2]) if isinstance(entry, tuple) and len(entry) == 4 else None


def _kept_names() -> list:
    return list(getattr(sys.modules.get("linecache"), "cache", {}))
