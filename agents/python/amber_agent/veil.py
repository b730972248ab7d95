"""Values under names that look secret are hidden before they leave the process.

There is one client at a time, so there is one veil; attaching sets it.
"""

from __future__ import annotations

import re

HIDDEN = "•••"

# The same in src/core/veil.ts.
NAMES = (
    r"pass(?:word|wd|phrase)|secret|token|authori[sz]ation|cookie|api_?key|private_?key|credential"
    r"|session_?id|(?<![a-z])card(?![a-z])|card_?n(?:umber|o)|(?<![a-z])(?:cvv|cvc|pin)(?![a-z])"
)
# The last name in an expression: of `order.card_number`, `d["token"]`, `password`.
_LAST_NAME = re.compile(r"([A-Za-z_][A-Za-z0-9_-]*)[\"']?\]?\s*$")


class Veil:
    """Which names are secret. Everything is shown while it is lifted."""

    def __init__(self, more=(), lifted: bool = False) -> None:
        self._lifted = lifted
        names = "|".join([NAMES] + [re.escape(name) for name in more])
        self._name = re.compile(names, re.IGNORECASE)
        # In a text that a class makes of itself: password='x', "token": 7.
        self._in_text = re.compile(
            r"([\w-]*(?:%s)[\w-]*[\"']?\s*[=:]\s*)(\"[^\"]*\"|'[^']*'|[^\s,;)}\]]+)" % names, re.IGNORECASE
        )

    def hides(self, name) -> bool:
        """Whether what is stored under `name` is hidden."""
        return not self._lifted and isinstance(name, str) and self._name.search(name) is not None

    def hides_expression(self, text: str) -> bool:
        """Whether an expression ends in a name that is hidden."""
        found = _LAST_NAME.search(text)
        return found is not None and self.hides(found.group(1))

    def masked(self, text: str) -> str:
        """A text with what it says of secret names hidden."""
        return text if self._lifted else self._in_text.sub(r"\1" + HIDDEN, text)


_current = [Veil()]


def current() -> Veil:
    return _current[0]


def set_veil(wanted) -> None:
    """What a client asks for in `attach`: {names, off}."""
    wanted = wanted if isinstance(wanted, dict) else {}
    names = [str(name) for name in wanted.get("names") or ()]
    _current[0] = Veil(names, bool(wanted.get("off")))
