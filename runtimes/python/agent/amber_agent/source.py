"""A file as it is on disk: its text, its statements, and the code that the interpreter makes of it."""

from __future__ import annotations

import ast
import dis
from types import CodeType

from . import quiet
from .effects import Effects
from .lines import Lines
from .live import equal_codes
from .splice import Part, compile_plain, twins


class Source:
    """A file's text, its statements and its code, read once for each change of the file."""

    def __init__(self, path: str, text: bytes, flags: int = 0) -> None:
        self.path = path
        self.text = text
        # With which the compiler reads it.
        self.flags = flags
        tree = quiet.parse(text, path)
        self.lines = Lines(tree)
        self._names: set = None
        self._tree = None
        self.plain = compile_plain(tree, path, flags=flags)
        # path in the tree of code -> code
        self.codes = {key: code for key, code, _same in twins(self.plain, self.plain)}
        self._by_line: dict = {}
        # line -> the paths of the lambdas that stand on the line of a statement
        self._lambdas: dict = {}
        for key, code in self.codes.items():
            for line in own_lines(code):
                # Inner code comes later and owns its lines; but a line where a statement begins is the statement's,
                # whatever lambdas and comprehensions are in it.
                if not _is_expression(code) or line in self.lines.lambdas:
                    self._by_line[line] = key
                if line in self.lines.inner_lambdas and code.co_name == "<lambda>":
                    self._lambdas.setdefault(line, []).append(key)

    def gives(self, name: str) -> bool:
        """Whether the module itself gives a name to something. Read when it is asked for the first time."""
        if self._names is None:
            self._names = _names_of(quiet.parse(self.text, self.path))
        return name in self._names

    def part_of(self, code: CodeType, flags: int):
        """The statement that `code` runs alone, as a Part with the code that is made of it; or None."""
        lines = own_lines(code)
        if self._tree is None:
            self._tree = quiet.parse(self.text, self.path)
        for index, node in enumerate(self._tree.body if lines else ()):
            for is_shown in (False, True):
                part = Part(index, is_shown, flags, node)
                if part.first > max(lines) or part.last < min(lines):
                    break
                if equal_codes(code, compile_plain(part.of(self._tree), self.path, part.mode, flags)):
                    return part
        return None

    def effects(self, followed: list) -> Effects:
        """What statements of the file change, between the lines that are followed."""
        return Effects(quiet.parse(self.text, self.path), followed)

    def code_at(self, line: int) -> tuple:
        """The path of the innermost code object that `line` belongs to."""
        return self._by_line.get(line, ())

    def codes_at(self, line: int) -> list:
        """The same, and those of the lambdas on the line."""
        return [self.code_at(line)] + self._lambdas.get(line, [])


def _names_of(tree: ast.Module) -> set:
    """The names that a module gives to something."""
    found: set = set()
    waiting: list = list(tree.body)
    while waiting:
        node = waiting.pop()
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)):
            found.add(node.name)
        elif isinstance(node, ast.alias):
            found.add((node.asname or node.name).partition(".")[0])
        elif isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
            found.add(node.id)
        elif not isinstance(node, ast.Lambda):
            waiting.extend(ast.iter_child_nodes(node))
    return found


def _is_expression(code: CodeType) -> bool:
    return code.co_name[:1] == "<" and code.co_name != "<module>"


def own_lines(code: CodeType) -> set:
    """The lines that `code` itself has instructions for, without the code inside it."""
    if hasattr(code, "co_lines"):
        return {line for _start, _end, line in code.co_lines() if line}
    return {line for _offset, line in dis.findlinestarts(code) if line}
