"""What may be different at a line of a function from what it was at the line before it in the same call, read from the
source: to compare every variable at every line costs a program far more than its lines do.

A statement without a call changes the variables that it gives a value, and nothing else. Where that is not certain
(a call, a value that is put into an object, the end of a `with`) anything may have changed.
"""

from __future__ import annotations

import ast

from .lines import first_line, is_code

# Of these, called by their names, it is known that they change nothing but what iterators they go through.
_HARMLESS = frozenset(
    "abs bool bytes chr dict divmod enumerate float frozenset hash id int isinstance issubclass len list max min ord"
    " range repr reversed round set slice sorted str sum tuple type zip".split()
)
_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda)
_LOOPS = (ast.For, ast.While)
_CROSSED = (ast.For, ast.While, ast.With, ast.AsyncFor, ast.AsyncWith, ast.ExceptHandler)
_BLOCKS = ("body", "orelse", "finalbody", "handlers", "cases")
_UNSURE = (
    ast.Await,
    ast.Yield,
    ast.YieldFrom,
    ast.AsyncFor,
    ast.AsyncWith,
    ast.With,
    ast.Import,
    ast.ImportFrom,
    ast.ClassDef,
)


# What an Effect may be instead.
ANYTHING = object()
NOTHING = object()


class Effect:
    """What a piece of code may have changed, by names of variables.

    names: given a value. joined: added to in place, where their values can be. passed: gone through, which changes
    nothing where they are the language's own containers; read: read from, likewise; deep: something within them is.
    """

    __slots__ = ("names", "joined", "passed", "read", "deep", "asks")

    def __init__(self) -> None:
        self.names: list = []
        self.joined: list = []
        self.passed: list = []
        self.read: list = []
        self.deep: list = []
        # Whether it depends on the values that are there.
        self.asks = False

    def add(self, other: Effect) -> None:
        for ours, theirs in (
            (self.names, other.names),
            (self.joined, other.joined),
            (self.passed, other.passed),
            (self.read, other.read),
            (self.deep, other.deep),
        ):
            ours.extend([name for name in theirs if name not in ours])
        self.asks = bool(self.joined or self.passed or self.read or self.deep)


class _Statement:
    """A statement, the function that it is in, and what is around it in that function, outermost first."""

    __slots__ = ("line", "node", "function", "around")

    def __init__(self, node, function, around: tuple) -> None:
        self.line = first_line(node)
        self.node = node
        self.function = function
        self.around = around


class Effects:
    """The effects between lines of one source. `followed`: the lines at which it is looked."""

    def __init__(self, tree: ast.Module, followed) -> None:
        self._followed = frozenset(followed)
        self._statements = _statements(tree)
        self._harmless = _HARMLESS - _given(tree)

    def between(self, before: int, line: int):
        """The Effect of all that may have run between two lines that one call has passed; ANYTHING, or NOTHING."""
        try:
            effect = self._between(before, line)
        except RecursionError:
            return ANYTHING
        if effect is None:
            return ANYTHING
        return effect if effect.names or effect.asks else NOTHING

    def _between(self, before: int, line: int):
        """The same; None for anything."""
        starts = [item for item in self._statements if item.line == before and item.function is not None]
        ends = [item for item in self._statements if item.line == line]
        if not starts or not ends or starts[0].function is not ends[0].function:
            return None
        function, here, there = starts[0].function, starts[0].around, ends[0].around
        apart = next((at for at, pair in enumerate(zip(here, there)) if pair[0] is not pair[1]), min(len(here), len(there)))
        # Of what is around both lines a loop may have begun anew, and with it what is inside it.
        loop = next((at for at, node in enumerate(here[:apart]) if isinstance(node, _LOOPS)), apart)
        unseen = [item for item in self._statements if item.function is function and item.line not in self._followed]
        if line > before and not any(node in item.around for item in unseen for node in here[loop : loop + 1]):
            loop = apart
            unseen = [item for item in unseen if before < item.line < line]
        elif line <= before:
            unseen = [item for item in unseen if item.line > before or item.line < line]
        ran = [item.node for item in starts if item.function is function] + [item.node for item in unseen]
        effect = Effect()
        # The head of an `if` is a statement of its own; that of a loop runs again and again.
        crossed = [node for node in here[loop:] + there[loop:] if isinstance(node, _CROSSED)]
        for node in ran + crossed:
            one = self._effect_of(node)
            if one is None:
                return None
            effect.add(one)
        return effect

    def _effect_of(self, node):
        """The Effect of a statement, of one with blocks in it of its head alone; None: anything may be changed."""
        effect = Effect()
        if isinstance(node, _UNSURE):
            return None
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            effect.names.append(node.name)
            return None if node.decorator_list else effect
        if isinstance(node, ast.ExceptHandler) and node.name:
            effect.names.append(node.name)
        if isinstance(node, ast.AugAssign) and isinstance(node.target, ast.Name):
            effect.joined.append(node.target.id)
        waiting = [
            part
            for name, field in ast.iter_fields(node)
            if not (name in _BLOCKS and isinstance(field, list))
            for part in (field if isinstance(field, list) else [field])
            if isinstance(part, ast.AST)
        ]
        # A pattern may bind names before it turns out not to match.
        for case in getattr(node, "cases", ()):
            waiting += [case.pattern] if case.guard is None else [case.pattern, case.guard]
        # The head of a loop goes through what it names.
        certain = not isinstance(node, ast.For) or _pass(node.iter, effect)
        while certain and waiting:
            part = waiting.pop()
            certain = self._note(part, effect)
            if not isinstance(part, ast.Lambda):
                waiting.extend(ast.iter_child_nodes(part))
        return effect if certain else None

    def _note(self, part, effect: Effect) -> bool:
        """Take down what a part of a statement does; whether that is known."""
        if isinstance(part, _UNSURE):
            return False
        if isinstance(part, ast.Name):
            if not isinstance(part.ctx, ast.Load):
                effect.names.append(part.id)
        elif isinstance(part, ast.Call):
            is_harmless = isinstance(part.func, ast.Name) and part.func.id in self._harmless and not part.keywords
            return is_harmless and all(_pass(argument, effect) for argument in part.args)
        elif isinstance(part, (ast.Attribute, ast.Subscript)):
            if not isinstance(part.ctx, ast.Load):
                return False
            root = part
            while isinstance(root, (ast.Attribute, ast.Subscript)):
                root = root.value
            if isinstance(root, ast.Name):
                (effect.read if root is part.value else effect.deep).append(root.id)
        elif isinstance(part, ast.comprehension):
            return not part.is_async and _pass(part.iter, effect)
        else:
            # What the pattern of a `case` binds.
            bound = getattr(part, "name", None) or getattr(part, "rest", None)
            if isinstance(bound, str):
                effect.names.append(bound)
        return True


def _pass(node, effect: Effect) -> bool:
    """Something is gone through; whether it is certain what that runs."""
    if isinstance(node, ast.Name):
        effect.passed.append(node.id)
    return not isinstance(node, (ast.Attribute, ast.Subscript, ast.Starred))


def _given(tree: ast.Module) -> set:
    """Every name that something is given anywhere in a source."""
    found: set = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Name) and not isinstance(node.ctx, ast.Load):
            found.add(node.id)
        elif isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)):
            found.add(node.name)
        elif isinstance(node, ast.arg):
            found.add(node.arg)
        elif isinstance(node, ast.alias):
            found.add((node.asname or node.name).partition(".")[0])
            if node.name == "*":
                found |= _HARMLESS
    return found


def _statements(tree: ast.Module) -> list:
    found: list = []
    waiting: list = [(node, None, ()) for node in tree.body]
    while waiting:
        node, function, around = waiting.pop()
        if isinstance(node, ast.stmt) and is_code(node):
            found.append(_Statement(node, function, around))
        if isinstance(node, ast.Lambda):
            found.append(_Statement(node.body, node, ()))
        if isinstance(node, _FUNCTIONS):
            function, around = node, ()
        elif isinstance(node, ast.ClassDef):
            function, around = None, ()
        elif any(isinstance(getattr(node, name, None), list) for name in _BLOCKS):
            around += (node,)
        waiting.extend((child, function, around) for child in ast.iter_child_nodes(node))
    found.sort(key=lambda item: item.line)
    return found
