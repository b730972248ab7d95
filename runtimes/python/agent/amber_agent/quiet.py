"""Compiling without a word: what the compiler warns of has been told when the program compiled it.

A warning of ours would appear in the program's output, or be an error under `-W error`. The compiler tells
where a warning is from by the name of the file, so ours is compiled under a name that one filter passes over;
the code gets its real name afterwards. (`warnings.catch_warnings` would hide the warnings of other threads.)
"""

from __future__ import annotations

import _warnings
import ast
import sys
from types import CodeType

_NAME = "<amber lantern>"


def parse(text, filename: str, mode: str = "exec"):
    """The syntax tree of a source text. Raises SyntaxError and ValueError as `ast.parse` does."""
    with _Silence():
        return _named(filename, ast.parse, text, _NAME, mode)


def compile_code(tree: ast.AST, filename: str, mode: str = "exec", flags: int = 0) -> CodeType:
    """The code of a syntax tree, with `filename` as its file. `flags`: as `compile` takes them."""
    with _Silence():
        code = _named(filename, compile, tree, _NAME, mode, flags=flags, dont_inherit=True)
    return _renamed(code, filename)


def _named(filename: str, function, *arguments, **options):
    try:
        return function(*arguments, **options)
    except SyntaxError as error:
        error.filename = filename
        raise


def _renamed(code: CodeType, filename: str) -> CodeType:
    consts = tuple(_renamed(item, filename) if isinstance(item, CodeType) else item for item in code.co_consts)
    return code.replace(co_filename=filename, co_consts=consts)


class _Silence:
    """Warnings about our own file name are passed over meanwhile."""

    _FILTER = ("ignore", None, Warning, _NAME, 0)

    def __enter__(self) -> None:
        self._list = _filters()
        self._list.insert(0, self._FILTER)

    def __exit__(self, *_error) -> None:
        # The program may have put a copy in the list's place (`catch_warnings`) and put it back by now.
        now = _filters()
        for filters in [self._list] if now is self._list else [self._list, now]:
            if self._FILTER in filters:
                filters.remove(self._FILTER)


def _filters() -> list:
    # A program that has not imported `warnings` has the list of the interpreter itself.
    return getattr(sys.modules.get("warnings"), "filters", _warnings.filters)
