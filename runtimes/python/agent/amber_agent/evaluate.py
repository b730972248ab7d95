"""Expressions and assignments in the scope of a frame.

An expression becomes the body of a function whose parameters are the frame's variables that it names.
`eval` with two dictionaries would hide locals from comprehensions and lambdas inside it.
"""

from __future__ import annotations

import ast
import copy
import ctypes
import sys
from types import CodeType, FunctionType

from . import quiet
from .carried import NAME as REQUEST, request_asked, request_shown
from .sending import NAME as SENT, sent_asked, sent_shown
from .templates import lines_of, names_in

_NAME = "<expression>"
# What expressions may name that is not the program's, where it has no such name: for a condition, and for what is told.
_OURS = {REQUEST: (request_asked, request_shown), SENT: (sent_asked, sent_shown)}


def evaluate(frame, text: str):
    """The value of the expression `text` in `frame`. Raises what the expression raises."""
    tree = quiet.parse(text.strip(), _NAME, "eval")
    return _value(frame, tree.body)


def run(frame, text: str):
    """Run statements in `frame`; returns the value when the last one is an expression, else None."""
    result = None
    for statement in quiet.parse(text.strip(), _NAME).body:
        result = None
        if isinstance(statement, ast.Expr):
            result = _value(frame, statement.value)
        elif isinstance(statement, ast.Assign):
            value = _value(frame, statement.value)
            for target in statement.targets:
                _store(frame, target, value)
        elif isinstance(statement, ast.AugAssign):
            # x += 1 as x = x + 1: an expression may not assign, and the target is evaluated anyway.
            current = copy.copy(statement.target)
            current.ctx = ast.Load()
            whole = ast.BinOp(left=current, op=statement.op, right=statement.value)
            _store(frame, statement.target, _value(frame, whole))
        else:
            _execute(frame, statement)
    return result


def assign(frame, target: str, text: str):
    """Store the value of expression `text` in `target` (a name, attribute or item) and return it."""
    statements = quiet.parse("%s = 0" % target.strip(), _NAME).body
    if len(statements) != 1 or not isinstance(statements[0], ast.Assign):
        raise SyntaxError("%r cannot be assigned to" % target)
    value = evaluate(frame, text)
    _store(frame, statements[0].targets[0], value)
    return value


def is_expression(text: str) -> bool:
    """Whether `text` is an expression rather than a statement. Raises SyntaxError for neither."""
    try:
        quiet.parse(text.strip(), _NAME, "eval")
        return True
    except SyntaxError as not_expression:
        try:
            quiet.parse(text.strip(), _NAME)
        except SyntaxError:
            raise not_expression from None
        return False


def syntax_text(error: SyntaxError, text: str) -> str:
    """What is wrong with an expression, and where."""
    column = error.offset or 0
    near = text.strip()[max(column - 1, 0) :][:20]
    where = " at column %d, near %r" % (column, near) if column and near else ""
    return "not an expression of Python: %s%s" % (error.msg, where)


def asks_for_request(text: str) -> bool:
    """Whether an expression names the request that is served, unless the program has that name for something else."""
    return REQUEST in text and _asks(quiet.parse(text.strip(), _NAME, "eval"), REQUEST)


def _asks(tree: ast.AST, name: str) -> bool:
    """Whether an expression names something of ours, and nothing of its own by that name."""
    nodes = list(ast.walk(tree))
    names = [node for node in nodes if isinstance(node, ast.Name) and node.id == name]
    is_bound = any(isinstance(node, ast.arg) and node.arg == name for node in nodes)
    return bool(names) and not is_bound and all(isinstance(node.ctx, ast.Load) for node in names)


class Condition:
    """An expression that is evaluated often, in frames of the same function. `is_shown`: what it gives is told."""

    def __init__(self, text: str, is_shown: bool = False) -> None:
        self._is_shown = is_shown
        self._tree = quiet.parse(text.strip(), _NAME, "eval")
        has_scope = any(isinstance(node, _OWN_SCOPE) for node in ast.walk(self._tree))
        self._nested = has_scope or any(_asks(self._tree, name) for name in _OURS)
        self._code = quiet.compile_code(self._tree, _NAME, "eval")
        # Of one with a scope of its own: by the names that it is given, its code.
        self._made = None

    def holds(self, frame) -> bool:
        """Whether it is true in `frame`. Raises what the expression raises."""
        return bool(self.value(frame))

    def value(self, frame):
        """What it gives in `frame`. Raises what the expression raises."""
        if self._nested or lines_of(frame.f_globals) is not None:
            if self._made is None:
                _Mangler(frame).visit(self._tree.body)
                self._made = {}
            return _call(frame, self._tree.body, self._is_shown, self._made)
        return eval(self._code, frame.f_globals, frame.f_locals)


_OWN_SCOPE = (ast.Lambda, ast.ListComp, ast.SetComp, ast.DictComp, ast.GeneratorExp)


def _value(frame, node: ast.expr, is_shown: bool = True):
    _Mangler(frame).visit(node)
    return _call(frame, node, is_shown, {})


def _call(frame, body: ast.expr, is_shown: bool, made: dict):
    """`made`: code by the names that it is given, kept by who computes this expression often."""
    scope = frame.f_locals
    used = {item.id for item in ast.walk(body) if isinstance(item, ast.Name)}
    names = sorted(name for name in used if name in scope) if scope is not frame.f_globals else []
    values = [scope[name] for name in names]
    scope = names_in(frame)
    for name in sorted(used - set(names)):
        if name in scope and name not in frame.f_globals and name not in frame.f_builtins:
            names.append(name)
            values.append(scope[name])
    for name, (asked, shown) in _OURS.items():
        if name in used and name not in names and _asks(body, name) and not _has(frame, name):
            names.append(name)
            values.append(shown() if is_shown else asked())
    code = made.get(tuple(names))
    if code is None:
        code = made[tuple(names)] = _code_given(names, body)
    try:
        return FunctionType(code, frame.f_globals)(*values)
    except NameError as error:
        missing = getattr(error, "name", None) or str(error).split("'")[1:2]
        missing = missing if isinstance(missing, str) else "".join(missing)
        if missing in frame.f_code.co_varnames + frame.f_code.co_cellvars and missing in used:
            raise NameError("'%s' is not assigned yet" % missing) from None
        raise


def _code_given(names: list, body: ast.expr):
    """The code of a function that has these parameters and gives what an expression gives."""
    arguments = ast.arguments(
        posonlyargs=[],
        args=[ast.arg(arg=name) for name in names],
        kwonlyargs=[],
        kw_defaults=[],
        defaults=[],
    )
    tree = ast.Expression(body=ast.Lambda(args=arguments, body=body))
    ast.fix_missing_locations(tree)
    whole = quiet.compile_code(tree, _NAME, "eval")
    return next(item for item in whole.co_consts if isinstance(item, CodeType))


def _has(frame, name: str) -> bool:
    """Whether the program itself has something of that name there, or will have."""
    code = frame.f_code
    scopes = (frame.f_locals, frame.f_globals, frame.f_builtins)
    return name in code.co_varnames + code.co_cellvars or any(name in scope for scope in scopes)


def _store(frame, target: ast.expr, value) -> None:
    if isinstance(target, ast.Name):
        _store_name(frame, target.id, value)
        return
    if isinstance(target, (ast.Tuple, ast.List)):
        parts = list(value)
        if len(parts) != len(target.elts):
            raise ValueError("%d values for %d names" % (len(parts), len(target.elts)))
        for part, item in zip(target.elts, parts):
            _store(frame, part, item)
        return
    _Mangler(frame).visit(target)
    if isinstance(target, ast.Attribute):
        setattr(_value(frame, target.value), target.attr, value)
    elif isinstance(target, ast.Subscript):
        index = target.slice
        # Before 3.9 the index is wrapped in a node of its own.
        index = getattr(index, "value", index) if type(index).__name__ == "Index" else index
        if isinstance(index, ast.Slice):
            bounds = [_value(frame, part) if part else None for part in (index.lower, index.upper, index.step)]
            _value(frame, target.value)[slice(*bounds)] = value
        else:
            _value(frame, target.value)[_value(frame, index)] = value
    else:
        raise SyntaxError("this cannot be assigned to")


def _store_name(frame, name: str, value) -> None:
    code = frame.f_code
    scope = frame.f_locals
    if scope is frame.f_globals:
        scope[name] = value
    elif name in code.co_varnames or name in code.co_cellvars or name in code.co_freevars:
        scope[name] = value
        _write_back(frame)
    elif name in scope:
        scope[name] = value
    elif name in frame.f_globals:
        frame.f_globals[name] = value
    else:
        raise NameError("there is no variable '%s' here to assign to" % name)


def _execute(frame, statement: ast.stmt) -> None:
    module = ast.Module(body=[statement], type_ignores=[])
    scope = frame.f_locals
    exec(quiet.compile_code(module, _NAME, "exec"), frame.f_globals, scope)
    if scope is not frame.f_globals:
        _write_back(frame)


def _write_back(frame) -> None:
    # From 3.13 on f_locals writes through (PEP 667).
    if sys.version_info < (3, 13):
        ctypes.pythonapi.PyFrame_LocalsToFast(ctypes.py_object(frame), ctypes.c_int(0))


class _Mangler(ast.NodeTransformer):
    """`self.__total` means `self._Order__total` inside a method of Order, as in the source."""

    def __init__(self, frame) -> None:
        self._class_name = _class_of(frame)

    def visit_Attribute(self, node):
        self.generic_visit(node)
        if self._class_name and node.attr.startswith("__") and not node.attr.endswith("__"):
            node.attr = "_%s%s" % (self._class_name, node.attr)
        return node


def _class_of(frame) -> str:
    code = frame.f_code
    if not code.co_argcount:
        return ""
    first = frame.f_locals.get(code.co_varnames[0])
    for cls in (first if isinstance(first, type) else type(first)).__mro__:
        for member in cls.__dict__.values():
            function = getattr(member, "__func__", member)
            if getattr(function, "__code__", None) is code:
                return cls.__name__.lstrip("_")
    return ""
