"""Marks in cells: put into each statement of a cell before it runs, and following the cell when it is run once more.

A cell has another number each time. That it is the same one is known by the number that its front end gives it, where
it gives one, and by its text else.
"""

from __future__ import annotations

from types import CodeType

from . import cells
from .live import name_of

# Which share of the lines of two texts is the same, of one cell that was changed meanwhile.
ALIKE = 0.6


class CellRuns:
    """Around the shell's `run_code`, which is given the code of each statement."""

    def __init__(self, session, asked, keep) -> None:
        self._session = session
        # What is asked for: {name of a cell: [Wanted]}; brings the marks of a cell in line with it: keep(name).
        self._asked = asked
        self._keep = keep
        self._shell = None
        self._ours = None
        self._current = ""
        # name of a cell -> by what its front end knows it; the cell that it was run as last.
        self._ids: dict = {}
        self._latest: dict = {}
        # name of a cell -> the places of other cells' marks in it.
        self._places: dict = {}

    def look(self) -> None:
        """Has the code of cells pass through here as soon as there is a shell."""
        running = cells.shell()
        if running is None or self._shell is running or not hasattr(running, "run_code"):
            return
        self._shell, original = running, running.run_code

        def run_code(code, result=None, **options):
            try:
                code = self._before(code, result)
            except Exception as error:
                self._session.trouble("a cell runs without its marks", error)
            return original(code, result, **options)

        self._ours = run_code
        running.run_code = run_code

    def remove(self) -> None:
        running, self._shell = self._shell, None
        # Whoever has replaced it since keeps what is theirs.
        if running is not None and vars(running).get("run_code") is self._ours:
            del running.run_code

    def runner_of(self, frame):
        """The frame that runs the statements of a cell one after the other, of a statement's frame."""
        # It does so through another of the shell's, around which is ours.
        outer = getattr(frame.f_back, "f_back", None)
        return outer.f_back if outer is not None and outer.f_code is self._ours.__code__ else outer

    def places_in(self, path: str) -> list:
        """Where marks of other cells are in this one."""
        return [place for place in self._places.get(path, ()) if place.is_wanted(self._asked)]

    def _before(self, code: CodeType, result) -> CodeType:
        """The code of a statement that is about to run, with the marks of its cell in it."""
        name = name_of(code)
        if not cells.is_name(name):
            return code
        if name != self._current:
            self._current = name
            self._begin(name, getattr(getattr(result, "info", None), "cell_id", None))
        marks = self._session.marks.of(name)
        if not marks:
            return code
        before = [_standing(mark) for mark in marks]
        code = self._session.binder.file(name).code_for_statement(code, marks, cells.flags_of(code))
        followed = {id(place.mark): place for place in self._places.get(name, ())}
        for mark, stood in zip(marks, before):
            place = followed.get(id(mark))
            if place is not None:
                mark.note = "%s has been run again: it is %s, line %d, now" % (place.path, name, mark.line)
            if _standing(mark) != stood:
                self._session.mark_changed(mark)
        return code

    def _begin(self, name: str, known) -> None:
        """A cell begins to run: marks of the cell that it was before are its own from now on."""
        if cells.is_placed(name):
            return
        if known is not None:
            self._ids[name] = known
        text = cells.text_of(name)
        places: list = []
        left: set = set()
        for path, wanted in list(self._asked.items()):
            if not wanted or not cells.is_name(path) or cells.is_placed(path) or path == name:
                continue
            lines = self._lines_from(path, name, text)
            if lines is not None:
                left.add(self._latest.get(path, path))
                self._latest[path] = name
                places += [CellPlace(item, path, name, lines[item.line]) for item in wanted if item.line in lines]
        for before in left:
            self._forget(before)
        if places or self._asked.get(name):
            self._places[name] = places
            self._keep(name)

    def _forget(self, before: str) -> None:
        """A cell that was run as another one has no marks any more, but for those that were set in it."""
        self._places.pop(before, None)
        if not self._asked.get(before):
            self._keep(before)
            self._session.binder.release(before)

    def _lines_from(self, path: str, name: str, text):
        """{line of a cell: its line in the cell that runs now}, or None where that is another cell."""
        before = self._latest.get(path, path)
        old = cells.text_of(before)
        if old is None or text is None:
            return None
        one, other = self._ids.get(before), self._ids.get(name)
        is_known = one is not None and other is not None
        if is_known and one != other:
            return None
        lines = _matching(old.splitlines(), text.splitlines(), 0 if is_known else ALIKE)
        if lines is None or before == path:
            return lines
        # What was moved once is moved from where it was then.
        moved = {place.origin: place.line for place in self._places.get(before, ()) if place.path == path}
        return {origin: lines[line] for origin, line in moved.items() if line in lines}


class CellPlace:
    """A mark of a cell in the cell that it was run as later."""

    def __init__(self, wanted, path: str, name: str, line: int) -> None:
        self._wanted = wanted
        self.path = path
        self.origin = wanted.line
        self.name = name
        self.line = line
        self.mark = None

    def __getattr__(self, attribute: str):
        return getattr(self._wanted, attribute)

    def is_wanted(self, asked: dict) -> bool:
        """Whether it is asked for still; what was asked for since in the same words is the same."""
        for one in asked.get(self.path, ()):
            if one.line == self.origin and one.mark is not None and (one is self._wanted or self._is_of(one)):
                self._wanted = one
                return True
        return False

    def _is_of(self, one) -> bool:
        return self.mark is not None and self.mark.id == one.mark.id

    def adopt(self, mark) -> bool:
        if mark.id != self._wanted.mark.id:
            return False
        self._take(mark)
        return True

    def make(self, path: str) -> None:
        self._take(self._wanted.mark.twin(path, self.line))

    def _take(self, mark) -> None:
        self.mark = self._wanted.latest = mark


def _standing(mark) -> tuple:
    """What a client is told of a mark when it changes."""
    return mark.bound, mark.route, mark.note, mark.reason, mark.line


def _matching(old: list, new: list, alike: float):
    """{line (from 1) of a text: its line in the other}, or None where they have too little in common."""
    if old == new:
        return {line: line for line in range(1, len(old) + 1)}
    from difflib import SequenceMatcher

    matcher = SequenceMatcher(None, [line.rstrip() for line in old], [line.rstrip() for line in new], autojunk=False)
    if matcher.ratio() < alike:
        return None
    return {
        block.a + at + 1: block.b + at + 1 for block in matcher.get_matching_blocks() for at in range(block.size)
    }
