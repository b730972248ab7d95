"""Bringing the marks of a file into the code that runs.

Routes, the cheapest first:
1. spliced: the functions of the file get code with the marks in it;
2. line events on the old code, for frames that run it already and for code that is not the file's (3.12+);
3. tracing of the threads that run the old code (3.9 to 3.11).
What none of them reaches is told on the mark.
"""

from __future__ import annotations

import dis
import os
from types import CodeType

from . import cells, command, events, nameless
from .carried import NAME as REQUEST
from .codes import codes_inside, inner_codes
from .constants import SwappedConstants
from .imports import maker_of
from .live import Live, equal_codes, live_in, live_of, real_path
from .source import Source, own_lines
from .splice import compile_spliced, twins
from .template_marks import watched_in

STALE = "the file on disk is not the code that is running"
PAST = "this line has run already and nothing will run it again"
UNLOADED = "the file is not loaded yet"
RUN_AGAIN = "the cell has run, and stops here when it is run again"
NOT_RUN = "this cell has not been run yet"


class NoText(ValueError):
    """Code that no file has, and whose text is not to be had."""


class FileBinding:
    """One file of the program: what is live of it, and the code that carries its marks."""

    def __init__(self, session, path: str) -> None:
        self._session = session
        self.path = path
        self._source: Source = None
        self._stamp = None
        # id(code) -> (path in the tree, code, ids of the marks in it): original and spliced code alike.
        self._known: dict = {}
        self._originals: dict = {}
        self._constants = SwappedConstants()
        self._spliced: dict = {}

    def source(self) -> Source:
        """The file as it is on disk, or the text of code without one. Raises OSError, SyntaxError or ValueError."""
        if not nameless.has_file(self.path):
            text = nameless.text_of(self.path)
            if text is None:
                raise NoText(self._absent())
            if self._source is None or text != self._stamp:
                flags = cells.flags() if cells.is_name(self.path) else 0
                self._source, self._stamp = Source(self.path, text.encode("utf-8", "surrogatepass"), flags), text
            return self._source
        status = os.stat(self.path)
        stamp = (status.st_mtime_ns, status.st_size)
        if self._source is None or stamp != self._stamp:
            with open(self.path, "rb") as file:
                self._source = Source(self.path, file.read())
            self._stamp = stamp
        return self._source

    def apply(self, marks: list) -> tuple:
        """Make the live code carry `marks`. Returns (lines to watch by events, frames to trace)."""
        for mark in marks:
            mark.bound, mark.route, mark.note, mark.reason = False, "", "", ""
        live = live_of(self.path)
        in_template = watched_in(live, marks, "" if events.available else self._session.raised.cost())
        if in_template is not None:
            return in_template, []
        try:
            source = self.source()
        except NoText:
            return self._reach_without_text(marks, live), []
        except (OSError, SyntaxError, ValueError) as error:
            # A template that is not loaded yet is no Python either.
            is_other = isinstance(error, (SyntaxError, ValueError)) and not live and not self.path.endswith(".py")
            for mark in marks:
                mark.reason = UNLOADED if is_other else "the source cannot be read: %s" % error
            return {}, []
        placed = self._place(marks, source)
        if not live:
            for mark in placed:
                mark.reason = self._absent()
            self._restore(live)
            return {}, []
        self._recognise(live, source)
        try:
            self._splice(placed, source, live.functions)
        except ValueError as error:
            for mark in placed:
                mark.note = str(error)
        return self._reach_old_code(placed, source, live)

    def code_for_import(self, code: CodeType, marks: list) -> CodeType:
        """The module `code` that is about to be run for the first time, with `marks` in it."""
        source = self.source()
        if not equal_codes(code, source.plain):
            return code
        for mark in marks:
            mark.bound, mark.route, mark.note, mark.reason = False, "", "", ""
        placed = self._place(marks, source)
        for key, one, _same in twins(code, code):
            self._remember(key, one, ())
        self._compile(placed, source, code.co_filename, [])
        for mark in placed:
            mark.bound, mark.route = True, "spliced"
        return self._spliced.get((), code)

    def code_for_statement(self, code: CodeType, marks: list, flags: int) -> CodeType:
        """The `code` of one statement of a cell that is about to run, with `marks` in it."""
        source = self.source()
        part = source.part_of(code, flags)
        if part is None:
            return code
        placed = [mark for mark in self._place(marks, source) if part.first <= mark.line <= part.last]
        if not placed:
            self._remember((), code, ())
            return code
        for mark in placed:
            mark.request_is_ours = mark.asks_request and not _has_request(source, mark.line, [])
        spliced = compile_spliced(
            source.text, code.co_filename, code, placed, self._session.probe, flags=flags, part=part
        )
        by_name = _by_name(source)
        for _path, plain, ours in twins(code, spliced):
            key = () if plain is code else _place_in(by_name, plain)
            if key is not None:
                here = tuple(mark.id for mark in placed if mark.line in own_lines(ours))
                self._remember(key, plain, ())
                if ours != plain:
                    self._remember(key, ours, here)
        for mark in placed:
            if any(mark.line in own_lines(one) for one in codes_inside([spliced])):
                mark.bound, mark.route, mark.reason = True, "spliced", ""
        return spliced

    def _absent(self) -> str:
        """Why nothing of it is there."""
        if not cells.is_name(self.path):
            return UNLOADED
        return NOT_RUN if cells.text_of(self.path) is None else RUN_AGAIN

    def restore(self, live: Live) -> None:
        """Every function has the code that it had."""
        if self._known:
            self._restore(live)
        self._spliced = {}

    def _place(self, marks: list, source: Source) -> list:
        placed = []
        for mark in marks:
            place = source.lines.place(mark.asked_line)
            if place is None:
                mark.reason = "there is no code at or after line %d" % mark.asked_line
                continue
            mark.line = place.line
            mark.note = place.note
            mark.opens = place.line in source.lines.openings
            mark.has_lambdas = place.line in source.lines.inner_lambdas
            placed.append(mark)
        followed = [mark for mark in placed if mark.kind == "follow"]
        effects = source.effects([mark.line for mark in followed]) if followed else None
        for mark in followed:
            mark.effects, mark.after = effects, {}
        return placed

    def _remember(self, key: tuple, code: CodeType, marks: tuple) -> None:
        self._known[id(code)] = (key, code, marks)
        if not marks:
            self._originals.setdefault(key, code)

    def _recognise(self, live: Live, source: Source) -> None:
        """Find for each live code object its place in the source's tree of code."""
        by_name = _by_name(source)
        for code in live.codes():
            key = None if id(code) in self._known else _place_in(by_name, code)
            if key is not None:
                for path, one, _same in twins(code, code, key):
                    if id(one) not in self._known:
                        self._remember(path, one, ())

    def _compile(self, placed: list, source: Source, filename: str, functions: list) -> None:
        for mark in placed:
            mark.request_is_ours = mark.asks_request and not _has_request(source, mark.line, functions)
        spliced = compile_spliced(
            source.text, filename, source.plain, placed, self._session.probe, flags=source.flags
        )
        ids = tuple(mark.id for mark in placed)
        self._spliced = {}
        for key, plain, code in twins(source.plain, spliced):
            if plain != code:
                self._spliced[key] = code
                self._remember(key, code, ids)

    def _splice(self, placed: list, source: Source, functions: list) -> None:
        filename = functions[0].__code__.co_filename if functions else command.filename(self.path)
        self._compile(placed, source, filename, functions)
        for function in functions:
            known = self._known.get(id(function.__code__))
            if known is None:
                continue
            wanted = self._spliced.get(known[0]) or self._originals.get(known[0])
            if wanted is not None and wanted is not function.__code__:
                function.__code__ = wanted

    def _restore(self, live: Live) -> None:
        self._constants.restore()
        for function in live.functions:
            known = self._known.get(id(function.__code__))
            if known is not None and known[2]:
                original = self._originals.get(known[0])
                if original is not None:
                    function.__code__ = original

    def _reach_old_code(self, placed: list, source: Source, live: Live) -> tuple:
        by_code: dict = {}
        for mark in placed:
            for key in source.codes_at(mark.line):
                by_code.setdefault(key, []).append(mark)
        self._constants.restore()
        watched: dict = {}
        traced: list = []
        spliced_live = {
            self._known[id(function.__code__)][0]
            for function in live.functions
            if id(function.__code__) in self._known
        }
        frames = [(ident, frame) for ident, frame in live.running]
        frames += [(None, frame) for frame in live.suspended]
        for key, marks in by_code.items():
            reached = any(key[: len(part)] == part for part in spliced_live)
            for mark in marks:
                if reached:
                    mark.bound, mark.route = True, "spliced"
            for ident, frame in frames:
                known = self._known.get(id(frame.f_code))
                if known is None or key[: len(known[0])] != known[0]:
                    continue
                left = [mark for mark in marks if mark.id not in known[2]]
                for mark in marks:
                    if mark not in left:
                        mark.bound, mark.route = True, mark.route or "spliced"
                if known[0] == key:
                    self._reach_frame(ident, frame, left, source, watched, traced)
                else:
                    self._reach_inner(frame.f_code, known[0], key, left, source, watched)
        for mark in placed:
            if not mark.bound and not mark.reason:
                mark.reason = RUN_AGAIN if cells.is_name(self.path) else PAST
        if any(id(code) not in self._known for code in live.codes()):
            self._reach_stale(placed, live, watched)
        return watched, traced

    def _reach_frame(self, ident, frame, marks: list, source: Source, watched: dict, traced: list) -> None:
        """Frames that run code without these marks."""
        ahead = marks
        if frame.f_code.co_name == "<module>":
            # What a module has passed runs once more only inside a loop.
            ahead = [mark for mark in marks if _may_run(frame, mark.line)]
        if not ahead:
            return
        if events.available:
            self._watch(watched, frame.f_code, ahead, source)
        elif ident is not None:
            traced.append((ident, frame, ahead))
        else:
            for mark in ahead:
                mark.note = "a suspended %s goes on without it" % frame.f_code.co_name

    def _reach_inner(self, outer: CodeType, at: tuple, key: tuple, marks: list, source: Source, watched) -> None:
        """Functions that a running frame has still to define."""
        code = outer
        for depth in range(len(at), len(key)):
            parent, code = code, inner_codes(code)[key[depth]]
            spliced = self._spliced.get(key[: depth + 1])
            if not events.available and spliced is not None and depth == len(at):
                if self._constants.swap(parent, code, spliced):
                    for mark in marks:
                        mark.bound, mark.route = True, mark.route or "spliced"
                return
        if events.available:
            self._watch(watched, code, marks, source)

    def _watch(self, watched: dict, code: CodeType, marks: list, source: Source) -> None:
        lines = watched.setdefault(code, {})
        for mark in marks:
            ids, _loop = lines.setdefault(mark.line, ([], mark.line in source.lines.loops))
            if mark.id not in ids:
                ids.append(mark.id)
            mark.bound, mark.route = True, mark.route or "engine"

    def _reach_without_text(self, marks: list, live: Live) -> dict:
        """Code of which only the lines are known."""
        watched: dict = {}
        codes = codes_inside(live.codes())
        lines = nameless.lines_of(codes)
        for mark in marks:
            line = next((line for line in lines if line >= mark.asked_line), None)
            if line is None:
                mark.reason = "there is no code at or after line %d" % mark.asked_line if lines else self._absent()
                continue
            mark.line = line
            for code in codes:
                if line in own_lines(code):
                    watched.setdefault(code, {}).setdefault(line, ([], False))[0].append(mark.id)
            mark.bound, mark.route, mark.note = True, "engine", nameless.NO_TEXT
            if line != mark.asked_line:
                mark.note = "line %d has no code; the next is line %d; %s" % (mark.asked_line, line, mark.note)
            if not events.available:
                mark.note += "; %s" % self._session.raised.cost()
        return watched

    def _reach_stale(self, placed: list, live: Live, watched: dict) -> None:
        """Live code that the file on disk does not explain."""
        for mark in placed:
            if mark.bound:
                continue
            mark.reason = stale = STALE if nameless.has_file(self.path) else nameless.STALE
            maker = maker_of(self.path)
            if not events.available and not maker:
                continue
            for code in live.codes():
                if id(code) not in self._known and mark.line in own_lines(code):
                    lines = watched.setdefault(code, {})
                    lines.setdefault(mark.line, ([], False))[0].append(mark.id)
                    mark.bound, mark.route, mark.note, mark.reason = True, "engine", stale, ""
            if mark.bound and maker:
                mark.note = "its code was made by %s" % maker
                if not events.available:
                    mark.note += "; %s" % self._session.raised.cost()


def _by_name(source: Source) -> dict:
    """The code of a source by its name and first line: [(path in the tree, code)]."""
    found: dict = {}
    for key, code in source.codes.items():
        found.setdefault((code.co_name, code.co_firstlineno), []).append((key, code))
    return found


def _place_in(by_name: dict, code: CodeType):
    """The path in the tree of code of what is equal to `code`, or None."""
    same = by_name.get((code.co_name, code.co_firstlineno), ())
    return next((key for key, plain in same if equal_codes(code, plain)), None)


def _has_request(source: Source, line: int, functions: list) -> bool:
    """Whether code at a line has a variable of its own by the name of the request that is served."""
    code = source.codes[source.code_at(line)]
    is_global = any(REQUEST in function.__globals__ for function in functions) or source.gives(REQUEST)
    return is_global or REQUEST in code.co_varnames + code.co_cellvars + code.co_freevars


def _may_run(frame, line: int) -> bool:
    """Whether a module's frame has `line` still before it, or is inside a loop (or not traceable)."""
    return line > frame.f_lineno or _in_loop(frame)


def _in_loop(frame) -> bool:
    for instruction in dis.get_instructions(frame.f_code):
        if instruction.opname.startswith("JUMP_BACKWARD") or instruction.opname == "JUMP_ABSOLUTE":
            if instruction.offset >= frame.f_lasti >= (instruction.argval or 0):
                return True
    return False


class Binder:
    """All files with marks."""

    def __init__(self, session) -> None:
        self._session = session
        self._files: dict = {}
        self._watched: dict = {}
        self._traced: dict = {}

    def file(self, path: str) -> FileBinding:
        binding = self._files.get(path)
        if binding is None:
            binding = self._files[path] = FileBinding(self._session, path)
        return binding

    def apply(self, path: str, marks: list) -> None:
        """Make the program carry exactly `marks` in the file `path`."""
        watched, traced = self.file(path).apply(marks)
        self._watched[path] = watched
        self._traced[path] = traced
        everything: dict = {}
        for lines in self._watched.values():
            everything.update(lines)
        self._watch(everything)
        self._trace()

    def release(self, path: str) -> None:
        """A file has no marks, its functions have their own code, and nothing of it is known any more."""
        self.apply(path, [])
        self.file(path).restore(live_of(path))
        self._files.pop(path, None)

    def _watch(self, wanted: dict) -> None:
        """Have exactly these lines report: {code: {line: ([mark id], is a loop's head)}}."""
        if events.available:
            self._session.events.watch_lines(wanted)
            return
        lines = {code: {line: ids for line, (ids, _loop) in here.items()} for code, here in wanted.items()}
        self._session.raised.watch_lines(lines)

    def on_import(self, code: CodeType) -> CodeType:
        """Called with each module's code before it runs."""
        path = real_path(code.co_filename)
        if self._session.named is not None:
            self._session.named.on_import(code)
        marks = self._session.marks.of(path)
        if not marks:
            return code
        code = self.file(path).code_for_import(code, marks)
        for mark in marks:
            self._session.mark_changed(mark)
        return code

    def end(self) -> None:
        """Every function has its own code again, and nothing of ours is kept."""
        self._watch({})
        self._session.tracing.keep_only(set())
        live = live_in(self._files)
        # Where cells are called by their text, what is left of an earlier run goes by the number of the last one.
        of_cells = [function for path in live if cells.is_name(path) for function in live[path].functions]
        for path, binding in self._files.items():
            if cells.is_name(path):
                live[path].functions = of_cells
            binding.restore(live[path])
        # The garbage collector does not look into code objects, so a circle through one is kept for ever: the
        # code that was spliced has the probe among its constants, and with it all of the session.
        self._files.clear()
        self._watched.clear()
        self._traced.clear()

    def _trace(self) -> None:
        tracing = self._session.tracing
        wanted = [item for traced in self._traced.values() for item in traced]
        tracing.keep_only({id(frame) for _ident, frame, _marks in wanted})
        for ident, frame, marks in wanted:
            lines: dict = {}
            for mark in marks:
                lines.setdefault(mark.line, []).append(mark.id)
            reached = tracing.watch(ident, frame, lines)
            for mark in marks:
                if reached:
                    mark.bound, mark.route = True, mark.route or "engine"
                    mark.note = "the thread that runs %s now is traced, and slower, until it leaves it" % (
                        frame.f_code.co_name
                    )
                elif mark.bound:
                    mark.note = "1 running frame is still on the old code"
                else:
                    mark.reason = "takes effect when %s is entered again" % frame.f_code.co_name
