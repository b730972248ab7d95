"""Values under names that look secret are hidden before they leave the process.

There is one client at a time, so there is one veil; attaching sets it.
"""

from __future__ import annotations

import json
import re

from .veil_rules import HIDDEN, NAMES, STEMS, TEXTS

# The last name in an expression: of `order.card_number`, `d["token"]`, `password`.
_LAST_NAME = re.compile(r"([A-Za-z_][A-Za-z0-9_-]*)[\"']?\]?\s*$")


# Names that are remembered at once.
MOST_KNOWN = 2_000


class Veil:
    """Which names are secret. Everything is shown while it is lifted."""

    def __init__(self, more=(), lifted: bool = False) -> None:
        self._lifted = lifted
        names = "|".join([NAMES] + [re.escape(name) for name in more])
        self._name = re.compile(names, re.IGNORECASE)
        # Names that have been asked about: the same ones come again and again.
        self._known: dict = {}
        self._stems = STEMS + tuple(name.lower() for name in more)
        # Compiled when a text has a stem, which most have not.
        self._rules: list = []
        self._texts = [(needs, names.join(parts)) for needs, parts in TEXTS]

    def hides(self, name) -> bool:
        """Whether what is stored under `name` is hidden."""
        if self._lifted or not isinstance(name, str):
            return False
        known = self._known.get(name)
        if known is None:
            if len(self._known) >= MOST_KNOWN:
                self._known.clear()
            known = self._known[name] = self._name.search(name) is not None
        return known

    def hides_expression(self, text: str) -> bool:
        """Whether an expression ends in a name that is hidden."""
        found = _LAST_NAME.search(text)
        return found is not None and self.hides(found.group(1))

    def masked(self, text: str) -> str:
        """A text with what it says of secret names hidden (contract/veil.json)."""
        return self._masked(text, self._stems)

    def masked_all(self, data):
        """The same for every text in plain data, such as a message."""
        return self.masked_with(data, self.stems_in(json.dumps(data)))

    def stems_in(self, encoded: str) -> tuple:
        """The stems that a text in JSON has: most have none, and then there is nothing to be looked for."""
        if self._lifted:
            return ()
        lower = encoded.lower()
        return tuple([stem for stem in self._stems if stem in lower or not stem.isascii()])

    def masked_with(self, data, stems: tuple):
        """Plain data with what its texts say hidden; `stems`: those that it has."""
        kind = type(data)
        if kind is str:
            return self._masked(data, stems)
        if kind is dict:
            return {key: self.masked_with(value, stems) for key, value in data.items()}
        if kind is list or kind is tuple:
            return [self.masked_with(value, stems) for value in data]
        return data

    def _masked(self, text: str, stems: tuple) -> str:
        if self._lifted:
            return text
        lower = text.lower()
        for stem in stems:
            if stem in lower:
                break
        else:
            return text
        if not self._rules:
            self._rules = [(needs, re.compile(rule, re.IGNORECASE)) for needs, rule in self._texts]
        for needs, rule in self._rules:
            for need in needs:
                if need in lower:
                    text = rule.sub(_first_group, text)
                    break
        return text


def _first_group(found) -> str:
    return found.group(1) + HIDDEN


_current = [Veil()]


def current() -> Veil:
    return _current[0]


def set_veil(wanted) -> None:
    """What a client asks for in `attach`: {names, off}."""
    wanted = wanted if isinstance(wanted, dict) else {}
    names = [str(name) for name in wanted.get("names") or ()]
    _current[0] = Veil(names, bool(wanted.get("off")))
