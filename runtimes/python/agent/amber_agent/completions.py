"""What an expression may go on with, found without running any of the program's code."""

from __future__ import annotations

import builtins
import keyword
import re

from .evaluate import evaluate

_TAIL = re.compile(r"((?:[^\W\d]\w*(?:\[[\w'\"-]*\])?\.)*)(\w*)$")


def complete(frame, text: str, column: int) -> list:
    """DAP CompletionItems for `text` up to `column` (from 1)."""
    match = _TAIL.search(text[: max(column - 1, 0)])
    base, prefix = match.group(1)[:-1], match.group(2)
    if base:
        names = _members(frame, base)
    else:
        names = set(frame.f_locals) | set(frame.f_globals) | set(dir(builtins)) | set(keyword.kwlist)
    wanted = prefix.lower()
    found = [name for name in names if name.lower().startswith(wanted) and name.isidentifier()]
    found.sort(key=lambda name: (name.startswith("_"), name not in frame.f_locals, name.lower()))
    if not prefix.startswith("_"):
        found = [name for name in found if not name.startswith("__")]
    start = match.start(2)
    return [{"label": name, "start": start, "length": len(prefix)} for name in found[:200]]


def _members(frame, base: str) -> set:
    parts = re.findall(r"[^\W\d]\w*|\[[^\]]*\]", base)
    value = evaluate(frame, parts[0])
    for part in parts[1:]:
        if part.startswith("["):
            if type(value) not in (dict, list, tuple):
                return set()
            value = value[evaluate(frame, part[1:-1])]
            continue
        held = _held(value)
        if part not in held:
            return set()
        value = held[part]
    names = set(_held(value))
    for cls in type(value).__mro__:
        names.update(cls.__dict__)
    return names


def _held(value) -> dict:
    try:
        return dict(object.__getattribute__(value, "__dict__"))
    except AttributeError:
        return {}
