"""Which lines a mark can stand on: the first lines of statements, read from the source.

The body of a lambda that begins on a line of its own is one too, and belongs to the lambda's calls. A lambda that stands on
the line of a statement is passed as well as that, where it may run long after it: see `lambdas_in_lines`.
A mark on a line in the middle of a statement goes to the statement's first line; on a `def`, to the first
line of the function's body; on a blank line or a comment, to the next statement. A mark on the head of a
loop is passed when the loop is entered; for each pass, mark the first line of its body.
"""

from __future__ import annotations

import ast
import re

_DEFINITIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
_WORD = re.compile(r"(?<![\w.])[^\W\d]\w*")


class Place:
    """Where a mark ended up: the line, and a sentence when it is not the line asked for."""

    __slots__ = ("line", "note")

    def __init__(self, line: int, note: str = "") -> None:
        self.line = line
        self.note = note


class Statement:
    """A statement that compiles to code: its first line and the last line of its head."""

    __slots__ = ("start", "end", "node", "loop")

    def __init__(self, node) -> None:
        self.node = node
        self.start = first_line(node)
        self.end = _head_end(node)
        self.loop = isinstance(node, (ast.For, ast.AsyncFor, ast.While))


def _head_end(node: ast.stmt) -> int:
    """The last line of a statement without the blocks inside it."""
    if not isinstance(getattr(node, "body", getattr(node, "cases", None)), list):
        return node.end_lineno or node.lineno
    end = node.lineno
    for name, field in ast.iter_fields(node):
        if name in ("body", "orelse", "finalbody", "handlers", "cases"):
            continue
        for part in field if isinstance(field, list) else [field]:
            if isinstance(part, ast.AST):
                end = max([end] + [getattr(inner, "end_lineno", 0) or 0 for inner in ast.walk(part)])
    return end


def first_line(node: ast.stmt) -> int:
    """The first line of a statement, its decorators included."""
    decorators = getattr(node, "decorator_list", [])
    return min([node.lineno] + [item.lineno for item in decorators])


def first_inside(node):
    """The line of the first statement in a function or module, or None."""
    return next((first_line(inner) for inner in node.body if is_code(inner)), None)


def is_code(node: ast.stmt) -> bool:
    """Whether a statement compiles to anything that a mark could be placed before."""
    if isinstance(node, ast.Expr):
        return not isinstance(node.value, ast.Constant)
    if isinstance(node, ast.ImportFrom):
        return node.module != "__future__"
    return not isinstance(node, (ast.Global, ast.Nonlocal))


def lambdas_on_lines(tree: ast.Module) -> dict:
    """The lambdas whose bodies begin on a line where no statement begins: {line: lambda}, one for each line."""
    nodes = list(ast.walk(tree))
    taken = {first_line(node) for node in nodes if isinstance(node, ast.stmt)}
    found: dict = {}
    for node in nodes:
        if isinstance(node, ast.Lambda) and node.body.lineno not in taken:
            found.setdefault(node.body.lineno, node)
    return found


class InLine:
    """A lambda on the line of a statement: the names of its parameters, and those of it and the ones around it."""

    __slots__ = ("node", "own", "seen")

    def __init__(self, node: ast.Lambda, around: frozenset) -> None:
        named = node.args
        extra = [item for item in (named.vararg, named.kwarg) if item]
        self.node = node
        self.own = frozenset(item.arg for item in named.posonlyargs + named.args + named.kwonlyargs + extra)
        self.seen = around | self.own


def lambdas_in_lines(tree: ast.Module) -> dict:
    """The lambdas that stand as a whole on a line where a statement begins: {line: [InLine…]}.

    One that is only an argument of a call is a part of its statement to whoever marks that (`sorted(…, key=lambda …)`), but
    for the top level of a file, whose statements run once.
    """
    taken = {first_line(node) for node in ast.walk(tree) if isinstance(node, ast.stmt)}
    found: dict = {}
    waiting: list = [(tree, False, False, frozenset())]
    while waiting:
        node, is_argument, is_inside, around = waiting.pop()
        if isinstance(node, ast.Lambda):
            one = InLine(node, around)
            around = one.seen
            if node.lineno == node.body.lineno in taken and not (is_argument and is_inside):
                found.setdefault(node.lineno, []).append(one)
        is_inside = is_inside or isinstance(node, _DEFINITIONS + (ast.Lambda,))
        is_argument = isinstance(node, (ast.Call, ast.keyword))
        waiting.extend((child, is_argument, is_inside, around) for child in ast.iter_child_nodes(node))
    return found


def meant(expressions: list, lambdas: list) -> list:
    """Those of the lambdas on a line that a mark with these expressions means, and none of the rest of it.

    They see what is named of the parameters of any of them.
    """
    named = {word for text in expressions for word in _WORD.findall(text)}
    named &= frozenset().union(*[one.own for one in lambdas])
    return [one for one in lambdas if named <= one.seen] if named else []


class Lines:
    """The statements of one source text, in order."""

    def __init__(self, tree: ast.Module) -> None:
        nodes = [node for node in ast.walk(tree) if isinstance(node, ast.stmt) and is_code(node)]
        self.lambdas = lambdas_on_lines(tree)
        self.inner_lambdas = lambdas_in_lines(tree)
        self.statements = sorted(
            [Statement(node) for node in nodes + [item.body for item in self.lambdas.values()]],
            key=lambda statement: (statement.start, statement.node.col_offset),
        )
        self.loops = {statement.start for statement in self.statements if statement.loop}
        self.openings = set(self.lambdas) | {
            first_inside(node) for node in ast.walk(tree) if isinstance(node, _DEFINITIONS + (ast.Module,))
        }

    def place(self, line: int):
        """The Place for a mark asked for at `line`, or None when no code follows it."""
        holding = [item for item in self.statements if item.start <= line <= item.end]
        if holding:
            # Of several, the one that begins last: the innermost.
            statement = max(holding, key=lambda item: item.start)
            if isinstance(statement.node, _DEFINITIONS):
                inside = first_inside(statement.node)
                if inside is not None and inside != line:
                    name = statement.node.name
                    return Place(inside, "line %d defines %s(); its first line is %d" % (line, name, inside))
            if statement.start == line:
                return Place(line)
            return Place(statement.start, "the statement on line %d begins on line %d" % (line, statement.start))
        for statement in self.statements:
            if statement.start > line:
                if isinstance(statement.node, _DEFINITIONS):
                    inside = first_inside(statement.node)
                    if inside is not None:
                        return Place(inside, "line %d has no code; the next is line %d" % (line, inside))
                return Place(
                    statement.start, "line %d has no code; the next is line %d" % (line, statement.start)
                )
        return None

    def starts(self, first: int, last: int) -> list:
        """The lines between `first` and `last` that can take a mark."""
        return sorted({item.start for item in self.statements if first <= item.start <= last})
