"""The code objects that stand among the constants of others."""

from __future__ import annotations

from types import CodeType


def inner_codes(code: CodeType) -> list:
    """The code objects among the constants of `code`."""
    return [item for item in code.co_consts if isinstance(item, CodeType)]


def codes_inside(codes: list) -> list:
    """Code objects, and all those in them."""
    found: dict = {}
    waiting = list(codes)
    while waiting:
        code = waiting.pop()
        found[id(code)] = code
        waiting.extend(item for item in inner_codes(code) if id(item) not in found)
    return list(found.values())
