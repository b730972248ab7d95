"""Values as text and as children, without running more of the program's code than its own `__repr__`.

Every text is bounded, whatever the value: a string of 100 MB, a list of a million, a cycle, a `__repr__`
that raises. Properties are never read; attributes come from `__dict__` and slots.
"""

from __future__ import annotations

from collections import deque
from itertools import islice
from types import BuiltinFunctionType, FunctionType, MethodType, ModuleType

from . import arrays, veil

# Characters of a value in a list of variables, and of one that was asked for by itself.
SHORT = 160
LONG = 10_000
# Children sent at once to a client that does not ask for pages.
PAGE = 1000

_INDEXED = (list, tuple, deque, range)
_SETS = (set, frozenset)
_ATOMS = (int, float, complex, bool, str, bytes, bytearray, type(None), type(Ellipsis))
_DEFAULT_REPRS = (object.__repr__,)


class Child:
    """One child of a value: its name, the value, and the expression that reaches it (or None)."""

    __slots__ = ("name", "value", "path", "private")

    def __init__(self, name: str, value, path=None, private: bool = False) -> None:
        self.name = name
        self.value = value
        self.path = path
        self.private = private


class Group:
    """A node that only holds other names together (what is special, folded under one)."""

    __slots__ = ("children",)

    def __init__(self, children: list) -> None:
        self.children = children


def type_name(value) -> str:
    """The type as people write it: `Order`, `decimal.Decimal`."""
    cls = type(value)
    kind = arrays.kind_of(value)
    if kind:
        return arrays.type_of(value, kind)
    module = getattr(cls, "__module__", None)
    if module in (None, "builtins", "__main__") or not isinstance(module, str):
        return cls.__name__
    return "%s.%s" % (module, cls.__qualname__)


def text_of(value, limit: int = SHORT) -> str:
    """`value` as text of at most about `limit` characters. Raises nothing but what ends a thread."""
    try:
        text = _text(value, limit, 3, ())
    except Exception as error:
        text = "<%s that cannot be shown: %s>" % (type(value).__name__, _reason(error))
    return text if len(text) <= limit + 40 else text[:limit] + "…"


def _text(value, limit: int, depth: int, seen: tuple) -> str:
    cls = type(value)
    if cls is str or cls is bytes or cls is bytearray:
        return _long_text(value, limit)
    if cls is int and value.bit_length() > 4096:
        return "<int of %d bits>" % value.bit_length()
    if cls in _ATOMS:
        return repr(value)
    if id(value) in seen:
        return "<the same %s again>" % cls.__name__
    if cls in _BRACKETS:
        return _container(value, limit, depth, seen + (id(value),))
    if isinstance(value, ModuleType):
        return "<module %s>" % value.__name__
    if isinstance(value, type):
        return "<class %s>" % value.__qualname__
    if isinstance(value, (FunctionType, BuiltinFunctionType, MethodType)):
        return "<function %s>" % getattr(value, "__qualname__", "?")
    kind = arrays.kind_of(value)
    if kind and kind != "array":
        return arrays.text_of(value, kind)
    if cls.__repr__ in _DEFAULT_REPRS:
        return _object(value, limit, depth, seen + (id(value),))
    try:
        text = cls.__repr__(value)
    except Exception as error:
        return "<repr of %s raised %s>" % (cls.__name__, _reason(error))
    if not isinstance(text, str):
        return "<repr of %s is not a string>" % cls.__name__
    text = veil.current().masked(text)
    return text if len(text) <= limit else text[:limit] + "…"


def _reason(error: BaseException) -> str:
    try:
        return "%s: %s" % (type(error).__name__, str(error)[:200])
    except Exception:
        return type(error).__name__


def _long_text(value, limit: int) -> str:
    if len(value) <= limit:
        return repr(value)
    unit = "characters" if isinstance(value, str) else "bytes"
    return "%r… (%s %s)" % (value[:limit], format(len(value), ","), unit)


# So many members at most are looked at before anything else is tried; integers whose text is quickly made.
_FEW = 12
_SMALL = 1 << 53
_BRACKETS = {
    list: ("[", "]"),
    tuple: ("(", ")"),
    set: ("{", "}"),
    frozenset: ("frozenset({", "})"),
    dict: ("{", "}"),
    deque: ("deque([", "])"),
}


def _part(value, limit: int, depth: int, seen: tuple) -> str:
    """As `_text`; what most members are is found out first."""
    cls = type(value)
    if cls is str and len(value) <= limit or cls is bool or value is None:
        return repr(value)
    return _text(value, limit, depth, seen)


def _is_simple(value, is_dict: bool, limit: int, hides) -> bool:
    """Whether the interpreter's own text of a container is ours: nothing in it is long, secret or has code of its own."""
    if is_dict:
        for key in value:
            if type(key) is not str or len(key) > 60 or hides(key):
                return False
        value = value.values()
    for item in value:
        kind = type(item)
        if not (
            kind is str
            and len(item) <= limit
            or kind is int
            and -_SMALL < item < _SMALL
            or kind is bool
            or item is None
            or kind is float
        ):
            return False
    return True


def _container(value, limit: int, depth: int, seen: tuple) -> str:
    cls = type(value)
    before, after = _BRACKETS[cls]
    if not value:
        return repr(value)
    if cls is tuple and len(value) == 1:
        after = ",)"
    if depth == 0:
        return before + "… %s" % format(len(value), ",") + after
    is_dict = cls is dict
    hides = veil.current().hides
    inner = max(limit // 2, 20)
    if len(value) <= _FEW:
        # Of a copy, since another thread may write into it meanwhile.
        here = value if cls is tuple or cls is frozenset else value.copy()
        if _is_simple(here, is_dict, inner, hides):
            text = repr(here)
            if len(text) <= limit:
                return text
    parts = []
    used = 0
    # The container may grow while it is read: another thread owns it too.
    for item in list(islice(value.items() if is_dict else value, 50)):
        if is_dict:
            key, held = item
            shown = veil.HIDDEN if hides(key) else _part(held, inner, depth - 1, seen)
            part = f"{_part(key, 60, 1, seen)}: {shown}"
        else:
            part = _part(item, inner, depth - 1, seen)
        used += len(part) + 2
        if parts and used > limit:
            break
        parts.append(part)
    left = len(value) - len(parts)
    if left > 0:
        parts.append("… %s more" % format(left, ","))
    return before + ", ".join(parts) + after


def _under(name, value, limit: int, depth: int, seen: tuple) -> str:
    """What is stored under a name, unless the name is a secret one."""
    return veil.HIDDEN if veil.current().hides(name) else _text(value, limit, depth, seen)


def _object(value, limit: int, depth: int, seen: tuple) -> str:
    name = type(value).__name__
    if depth == 0:
        return "<%s>" % name
    parts = []
    used = len(name)
    children = attributes(value, "")
    for child in children[:12]:
        part = "%s=%s" % (child.name, _under(child.name, child.value, max(limit // 3, 20), depth - 1, seen))
        used += len(part) + 1
        if parts and used > limit:
            break
        parts.append(part)
    if len(children) > len(parts):
        parts.append("…")
    return "<%s>" % " ".join([name] + parts)


def counts(value) -> tuple:
    """(named, indexed): how many children of each kind `value` has."""
    if isinstance(value, Group):
        return len(value.children), 0
    if isinstance(value, _ATOMS):
        return 0, 0
    kind = arrays.kind_of(value)
    if kind:
        return arrays.counts(value, kind)
    if isinstance(value, dict):
        return dict.__len__(value) + len(attributes(value, "")), 0
    if isinstance(value, tuple) and hasattr(type(value), "_fields"):
        return len(type(value)._fields), 0
    if isinstance(value, _INDEXED) or isinstance(value, _SETS):
        return len(attributes(value, "")), len(value)
    return len(attributes(value, "")), 0


def children(value, path, start: int, count: int, kind: str) -> list:
    """A page of the children of `value`.

    `path` is the expression that reaches `value`, or None; `kind` is `named`, `indexed` or both (""),
    where named children come first.
    """
    shaped = arrays.kind_of(value)
    if shaped:
        is_asked = (kind != "indexed") if shaped == "row" else (kind != "named")
        return [Child(*each) for each in arrays.children(value, shaped, path, start, count)] if is_asked else []
    found: list = []
    named, indexed = counts(value)
    if kind != "indexed":
        if isinstance(value, Group):
            found += value.children[start : start + count]
        elif isinstance(value, dict):
            found += _entries(value, path, start, count)
        else:
            found += attributes(value, path)[start : start + count]
        start = max(0, start - named)
        count -= len(found)
    if kind != "named" and indexed and count > 0:
        found += _items(value, path, start, count)
    return found


def _entries(value: dict, path, start: int, count: int) -> list:
    extra = attributes(value, path)
    found = extra[start : start + count]
    start = max(0, start - len(extra))
    keys = islice(dict.__iter__(value), start, start + count - len(found))
    for key in list(keys):
        if not dict.__contains__(value, key):
            continue
        simple = isinstance(key, (str, int, float, bytes, bool, type(None)))
        reached = "%s[%r]" % (path, key) if path and simple and len(repr(key)) < 200 else None
        found.append(Child(text_of(key, 60), dict.__getitem__(value, key), reached))
    return found


def _items(value, path, start: int, count: int) -> list:
    if isinstance(value, (list, tuple, range)):
        items = value[start : start + count]
    else:
        items = list(islice(value, start, start + count))
    ordered = not isinstance(value, _SETS)
    return [
        Child("[%d]" % index, item, "%s[%d]" % (path, index) if path and ordered else None)
        for index, item in enumerate(items, start)
    ]


def attributes(value, path) -> list:
    """The attributes that `value` itself holds, those with special names last, under one node."""
    if isinstance(value, _ATOMS) or isinstance(value, Group):
        return []
    names: dict = {}
    if isinstance(value, tuple) and hasattr(type(value), "_fields"):
        for name, item in zip(type(value)._fields, value):
            names[name] = item
    for cls in type(value).__mro__:
        slots = cls.__dict__.get("__slots__", ())
        for slot in (slots,) if isinstance(slots, str) else slots:
            name = "_%s%s" % (cls.__name__.lstrip("_"), slot) if _is_private(slot) else slot
            descriptor = cls.__dict__.get(name)
            if slot in ("__dict__", "__weakref__") or descriptor is None:
                continue
            try:
                names[name] = descriptor.__get__(value, cls)
            except AttributeError:
                continue
    try:
        held = object.__getattribute__(value, "__dict__")
    except AttributeError:
        held = {}
    if isinstance(value, type):
        held = type.__getattribute__(value, "__dict__")
    names.update((name, item) for name, item in list(held.items()) if isinstance(name, str))
    if isinstance(value, BaseException):
        names.setdefault("args", value.args)
        for name in ("__cause__", "__context__"):
            if getattr(value, name) is not None:
                names.setdefault(name, getattr(value, name))
    return fold([_attribute(value, path, name, item) for name, item in names.items()])


def _is_private(name: str) -> bool:
    return name.startswith("__") and not name.endswith("__")


def _attribute(value, path, name: str, item) -> Child:
    reached = "%s.%s" % (path, name) if path and name.isidentifier() else None
    for cls in type(value).__mro__:
        prefix = "_%s__" % cls.__name__.lstrip("_")
        if name.startswith(prefix):
            return Child(name[len(prefix) - 2 :], item, reached, private=True)
    return Child(name, item, reached, private=name.startswith("_"))


def is_special(child: Child) -> bool:
    """Names with two underscores on both sides: the interpreter's, not the program's."""
    return child.name.startswith("__") and child.name.endswith("__") and len(child.name) > 4


def is_definition(child: Child) -> bool:
    """What a module holds besides its data: special names, imports, functions and classes."""
    return is_special(child) or isinstance(child.value, (ModuleType, FunctionType, type, BuiltinFunctionType))


def fold(found: list, folded=is_special, name: str = "special") -> list:
    """`found` with the children that are `folded` put under one node at the end."""
    hidden = [child for child in found if folded(child)]
    if not hidden:
        return found
    kept = [child for child in found if not folded(child)]
    return kept + [Child(name, Group(hidden))]
