"""Marks as code: recompile a file with a statement before each marked line.

    try:
        if CONDITION: PROBE.hit(3, True)
    except RecursionError: pass
    except Exception: PROBE.err(3)

Before the body of a lambda it is `PROBE.hit(3, False) or BODY`.
The statement has the line number of the one it precedes. PROBE and Exception are placeholders in the source
tree, replaced in the constants of the compiled code, so no name is added to the program. A logpoint's values
are arguments of a function of its own, a counter is one call into C.
"""

from __future__ import annotations

import ast
import sys
from types import CodeType

from . import quiet
from .carried import NAME as REQUEST, request_asked, request_shown
from .codes import inner_codes
from .lines import first_inside, first_line, is_code, lambdas_in_lines, lambdas_on_lines, meant
from .marks import Mark, Probe

_PROBE = "\0amber probe\0"
_EXCEPTION = "\0amber exception\0"
_RECURSION = "\0amber recursion\0"
_DIRECT = "\0amber direct %d\0"
_LEFT = "\0amber left %d\0"
_ONLY = "\0amber only %d\0"
# What gives the request that is served, to a condition and to a value that is told.
_ASKED = "\0amber request\0"
_SHOWN = "\0amber request shown\0"
# These make a scope or a suspension of their own; such a condition is evaluated by the probe instead.
_NOT_INLINE = (
    ast.Lambda,
    ast.ListComp,
    ast.SetComp,
    ast.DictComp,
    ast.GeneratorExp,
    ast.NamedExpr,
    ast.Await,
    ast.Yield,
    ast.YieldFrom,
)


class Part:
    """One statement of a module, which is run alone: the `index`th. `is_shown`: what comes of an expression is shown."""

    __slots__ = ("index", "is_shown", "flags", "first", "last")

    def __init__(self, index: int, is_shown: bool, flags: int, node: ast.stmt) -> None:
        self.index = index
        self.is_shown = is_shown
        self.flags = flags
        self.first = first_line(node)
        self.last = node.end_lineno or node.lineno

    @property
    def mode(self) -> str:
        return "single" if self.is_shown else "exec"

    def of(self, tree: ast.Module) -> ast.AST:
        """What the compiler is given of a module's tree."""
        body = tree.body[self.index : self.index + 1]
        return ast.Interactive(body=body) if self.is_shown else ast.Module(body=body, type_ignores=[])


def compile_plain(tree: ast.AST, filename: str, mode: str = "exec", flags: int = 0) -> CodeType:
    """The code that the interpreter makes of the source itself."""
    return quiet.compile_code(tree, filename, mode, flags)


def compile_spliced(
    source: bytes, filename: str, plain: CodeType, marks: list, probe: Probe, flags: int = 0, part: Part = None
) -> CodeType:
    """The module's code with `marks` (on lines that begin a statement) spliced in.

    Its tree of code objects has the shape of `plain`'s, and each can replace its twin in a live function.
    Where a condition would change which variables a function captures, it is evaluated by the probe.
    `part`: only this of the module, of which `plain` is the code.
    """
    for mark in marks:
        mark.inline = all(_can_inline(text) for text in [mark.condition] + mark.values if text)
    code = _compile(source, filename, marks, flags, part)
    if not _same_shape(plain, code):
        for mark in marks:
            mark.inline = False
        code = _compile(source, filename, marks, flags, part)
        if not _same_shape(plain, code):
            raise ValueError("the marked code does not have the shape of the running code")
    direct = {_DIRECT % mark.id: probe.direct(mark) for mark in marks if mark.kind != "break"}
    direct.update({_LEFT % mark.id: mark.hit.left for mark in marks if mark.kind == "count"})
    direct.update({_ONLY % mark.id: mark.takes_request for mark in marks if mark.only})
    direct.update({_ASKED: request_asked, _SHOWN: request_shown})
    return _fill(code, probe, direct)


def twins(plain: CodeType, spliced: CodeType, path: tuple = ()):
    """Yield (path, plain code, spliced code) for a module's code and all code inside it.

    A path is the position among the code constants at each level; () is the module.
    """
    yield path, plain, spliced
    pairs = zip(inner_codes(plain), inner_codes(spliced))
    for index, (one, other) in enumerate(pairs):
        yield from twins(one, other, path + (index,))


def _can_inline(condition: str) -> bool:
    tree = quiet.parse(condition, "<condition>", "eval")
    return not any(isinstance(node, _NOT_INLINE) for node in ast.walk(tree))


def _compile(source: bytes, filename: str, marks: list, flags: int, part: Part) -> CodeType:
    tree = quiet.parse(source, filename)
    if part is not None:
        tree = part.of(tree)
    by_line: dict = {}
    for mark in marks:
        by_line.setdefault(mark.line, []).append(mark)
    alone, inner = lambdas_on_lines(tree), lambdas_in_lines(tree)
    for line, lambdas in inner.items():
        for mark in list(by_line.get(line, ())):
            chosen = meant([mark.condition] + mark.values, lambdas)
            if chosen:
                by_line[line].remove(mark)
            for one in chosen or lambdas:
                one.node.body = _probe_before(one.node.body, mark)
    _Inserter(by_line, part is not None and part.is_shown).visit(tree)
    for line, node in alone.items():
        for mark in by_line.pop(line, ()):
            node.body = _probe_before(node.body, mark)
    return quiet.compile_code(tree, filename, "exec" if part is None else part.mode, flags)


class _Inserter(ast.NodeVisitor):
    def __init__(self, by_line: dict, is_shown: bool) -> None:
        self._by_line = by_line
        self._is_shown = is_shown

    def generic_visit(self, node) -> None:
        # Before the children: of several statements on a line the outermost, first one is marked.
        for field in ("body", "orelse", "finalbody"):
            statements = getattr(node, field, None)
            if isinstance(statements, list):
                setattr(node, field, self._insert(statements))
        super().generic_visit(node)

    def _insert(self, statements: list) -> list:
        result = []
        for statement in statements:
            if isinstance(statement, ast.stmt) and is_code(statement) and not _is_one_line(statement):
                for mark in self._by_line.pop(first_line(statement), []):
                    ours = _probe_statement(mark, statement)
                    result.append(_Unshown().visit(ours) if self._is_shown else ours)
            result.append(statement)
        return result


def _is_one_line(node: ast.stmt) -> bool:
    """Whether the body of a function stands on the line that defines it: the line is the body's."""
    return isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)) and first_inside(node) == first_line(node)


class _Unshown(ast.NodeTransformer):
    """Our expressions where the interpreter shows what comes of expressions: asked for, and nothing done."""

    def visit_Expr(self, node):
        return ast.copy_location(ast.If(test=node.value, body=[ast.copy_location(ast.Pass(), node)], orelse=[]), node)


def _probe_statement(mark: Mark, before: ast.stmt) -> ast.stmt:
    hit = _hit(mark)
    if mark.inline and mark.condition:
        hit = ast.If(test=_expression(mark, mark.condition, _ASKED), body=[hit], orelse=[])
    if mark.inline and any(map(_may_call, [mark.condition] + mark.values)):
        leaving = ast.Try(body=[hit], handlers=[], orelse=[], finalbody=[_call("leave", mark.id)])
        hit = ast.If(test=_call("enter", mark.id).value, body=[leaving], orelse=[])
    if mark.only:
        # Before anything of it is computed.
        test = ast.Call(func=ast.Constant(_ONLY % mark.id), args=[], keywords=[])
        hit = ast.If(test=test, body=[hit], orelse=[])
    # At the limit of recursion nothing of ours is called any more. Before 3.9 the error has to go on: the
    # interpreter ends the process when somebody swallows it and recurses further.
    deep: ast.stmt = ast.Pass() if sys.version_info >= (3, 9) else ast.Raise(exc=None, cause=None)
    handlers = [
        ast.ExceptHandler(type=ast.Constant(_RECURSION), name=None, body=[deep]),
        ast.ExceptHandler(type=ast.Constant(_EXCEPTION), name=None, body=[_call("err", mark.id)]),
    ]
    return _at(ast.Try(body=[hit], handlers=handlers, orelse=[], finalbody=[]), before)


def _may_call(expression: str) -> bool:
    """Whether an expression may call functions of the program (operators are trusted not to).

    It could come to the very same mark again: twice for each pass, and the program would never come back.
    """
    return any(char in expression for char in "(.[")


def _probe_before(body: ast.expr, mark: Mark) -> ast.expr:
    # An expression has no place for handlers, so the probe evaluates what the mark asks for.
    probe = _at(_call("hit", mark.id, False), body).value
    return ast.copy_location(ast.BoolOp(op=ast.Or(), values=[probe, body]), body)


def _at(statement: ast.stmt, before) -> ast.stmt:
    """Give a statement and all in it the place of the node that it goes before."""
    for node in ast.walk(statement):
        if "lineno" in node._attributes:
            node.lineno = node.end_lineno = first_line(before)
            node.col_offset = node.end_col_offset = before.col_offset
    return statement


def _hit(mark: Mark) -> ast.stmt:
    """What is done at a pass: a stop, values told, or only a count, which is one call into C."""
    if mark.inline and mark.kind != "break" and not mark.has_rule:
        values = [_expression(mark, value, _SHOWN) for value in mark.values]
        if mark.kind == "count":
            values = [ast.Constant(_LEFT % mark.id)]
        return ast.Expr(ast.Call(func=ast.Constant(_DIRECT % mark.id), args=values, keywords=[]))
    return _call("hit", mark.id, mark.inline)


def _expression(mark: Mark, text: str, request: str) -> ast.expr:
    tree = quiet.parse(text, "<expression>", "eval")
    return (_Served(request).visit(tree) if mark.request_is_ours else tree).body


class _Served(ast.NodeTransformer):
    """The request that is served, in place of a name that the program does not have."""

    def __init__(self, request: str) -> None:
        self._request = request

    def visit_Name(self, node):
        if node.id != REQUEST:
            return node
        return ast.copy_location(ast.Call(func=ast.Constant(self._request), args=[], keywords=[]), node)


def _call(method: str, *arguments) -> ast.stmt:
    function = ast.Attribute(value=ast.Constant(_PROBE), attr=method, ctx=ast.Load())
    constants = [ast.Constant(item) for item in arguments]
    return ast.Expr(ast.Call(func=function, args=constants, keywords=[]))


def _fill(code: CodeType, probe: Probe, direct: dict) -> CodeType:
    consts = []
    for item in code.co_consts:
        if isinstance(item, CodeType):
            item = _fill(item, probe, direct)
        elif isinstance(item, str) and item == _PROBE:
            item = probe
        elif isinstance(item, str) and item == _EXCEPTION:
            item = Exception
        elif isinstance(item, str) and item == _RECURSION:
            item = RecursionError
        elif isinstance(item, str) and item in direct:
            item = direct[item]
        consts.append(item)
    return code.replace(co_consts=tuple(consts))


def _same_shape(plain: CodeType, spliced: CodeType) -> bool:
    if (
        plain.co_name != spliced.co_name
        or plain.co_freevars != spliced.co_freevars
        or set(plain.co_cellvars) != set(spliced.co_cellvars)
        or plain.co_varnames[: plain.co_argcount] != spliced.co_varnames[: spliced.co_argcount]
    ):
        return False
    ours, theirs = inner_codes(plain), inner_codes(spliced)
    return len(ours) == len(theirs) and all(map(_same_shape, ours, theirs))
