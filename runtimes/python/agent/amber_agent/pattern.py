"""Which requests a mark is for: a method, a path with `*`, the value of a header."""

from __future__ import annotations

import re


class RequestPattern:
    """`{method, path, header: {name, value}}`; what is not given may be anything."""

    __slots__ = ("method", "path", "_whole", "_pattern", "_name", "_value")

    def __init__(self, wanted: dict) -> None:
        self.method = str(wanted.get("method") or "*").upper()
        self.path = str(wanted.get("path") or "*")
        # A path without a question mark is for every query.
        self._whole = "?" in self.path
        self._pattern = re.compile(
            "".join(".*" if part == "*" else re.escape(part) for part in re.split(r"(\*)", self.path)), re.S
        )
        header = wanted.get("header") or {}
        self._name = str(header.get("name") or "")
        self._value = str(header.get("value") or "")

    def matches(self, request) -> bool:
        """Whether `request` (a served.Request, or None) is one of those meant."""
        if request is None or self.method not in ("*", request.method, request.method.upper()):
            return False
        target = request.target if self._whole else request.target.partition("?")[0]
        if self._pattern.fullmatch(target) is None:
            return False
        return not self._name or request.header(self._name) == self._value
