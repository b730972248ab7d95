"""A file's functions as they are in another text: they have its code from now on, in the same function objects, so that
whoever holds one calls the new code. Calls under way end as they began; the module's own statements are not run again.
"""

from __future__ import annotations

from types import CodeType

from . import quiet
from .live import live_of, equal_codes, is_of_function

_TAKES = 0x04 | 0x08  # *args and **kwargs (CO_VARARGS, CO_VARKEYWORDS)
_KIND = 0x20 | 0x80 | 0x200  # generators and coroutines (CO_GENERATOR, CO_COROUTINE, CO_ASYNC_GENERATOR)


class NotReloaded(Exception):
    """It cannot be done: a code for programs and a sentence for people."""

    def __init__(self, code: str, text: str) -> None:
        super().__init__(text)
        self.code = code


def reload(binder, path: str, text: str) -> dict:
    """Gives every function of a file that is alive the code that `text` has for it.

    Returns how many have other code now, and of those that could not have it their names with the reason.
    """
    if not live_of(path):
        raise NotReloaded("notLoaded", "the program has not loaded %s" % path)
    try:
        tree = quiet.parse(text, path)
    except (SyntaxError, ValueError) as error:
        where = " on line %d" % error.lineno if isinstance(error, SyntaxError) and error.lineno else ""
        raise NotReloaded("refused", "the text is no Python: %s%s" % (getattr(error, "msg", None) or error, where)) from None
    # Without marks, so that every function has the code that it had.
    binder.release(path)
    functions = live_of(path).functions
    filename = functions[0].__code__.co_filename if functions else path
    codes = _by_name(quiet.compile_code(tree, filename))
    named = [(_name_of(function, codes), function) for function in functions]
    # Of several of a name, such as those in the branches of an `if`, the order of their lines decides.
    lines: dict = {}
    for name, function in named:
        lines.setdefault(name, set()).add(function.__code__.co_firstlineno)
    count, left = 0, {}
    for name, function in named:
        same, here = codes.get(name, ()), sorted(lines[name])
        if same and len(same) != len(here):
            left[name] = "several functions have this name"
            continue
        code = same[here.index(function.__code__.co_firstlineno)] if same else None
        reason = _why_not(function.__code__, code)
        if reason:
            left[name] = reason
        elif not equal_codes(function.__code__, code):
            function.__code__ = code
            count += 1
    return {"functions": count, "left": [{"name": name, "reason": reason} for name, reason in left.items()]}


def _name_of(function, codes: dict) -> str:
    """What a function is called in its file, whatever a decorator has called it since."""
    name = getattr(function.__code__, "co_qualname", None)
    if name is not None:
        return name
    # Before 3.11 its code knows only the last part.
    bare = function.__code__.co_name
    if function.__qualname__.rpartition(".")[2] == bare:
        return function.__qualname__
    known = [each for each in codes if each.rpartition(".")[2] == bare]
    return known[0] if len(known) == 1 else bare


def _by_name(module: CodeType) -> dict:
    """The code of all functions that a module makes, by qualified name, in the order of their lines."""
    found: dict = {}
    waiting = [(module, "")]
    while waiting:
        code, inside = waiting.pop()
        for inner in code.co_consts:
            if isinstance(inner, CodeType):
                name = inside + inner.co_name
                if is_of_function(inner):
                    found.setdefault(name, []).append(inner)
                waiting.append((inner, name + (".<locals>." if is_of_function(inner) else ".")))
    for codes in found.values():
        codes.sort(key=lambda one: one.co_firstlineno)
    return found


def _why_not(old: CodeType, new) -> str:
    """Why a function cannot have other code; "" where it can."""
    if new is None:
        return "it is not there any more"
    if set(old.co_freevars) != set(new.co_freevars):
        return "it uses other variables of the function around it"
    if _arguments(old) != _arguments(new):
        return "it is called with other arguments"
    if (old.co_flags ^ new.co_flags) & _KIND:
        return "it was a generator or a coroutine, or is one now"
    if old.co_freevars != new.co_freevars:
        return "it uses variables of the function around it in another order"
    return ""


def _arguments(code: CodeType) -> tuple:
    takes = code.co_flags & _TAKES
    count = code.co_argcount + code.co_kwonlyargcount + bin(takes).count("1")
    return code.co_posonlyargcount, code.co_argcount, code.co_kwonlyargcount, takes, code.co_varnames[:count]
