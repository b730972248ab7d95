"""The DAP requests, one method each, named after the request.

Those about a paused thread run in that thread (inspection.py); the rest run here, in the serving thread.
"""

from __future__ import annotations

from time import perf_counter

from . import VERSION, cells, entry, nameless, servers
from .cell_runs import CellRuns
from .description import state
from .inspection import Inspection
from .live import real_path
from .named import NamedFunctions
from .pause import Action
from .raised import Filter
from .reloading import NotReloaded, reload
from .stack import Foreign, loaded_files
from .veil import set_veil
from .wanted import Wanted, WantedFunction, WantedRequest, WantedSend

FILTERS = [
    {
        "filter": "raised",
        "label": "Errors raised",
        "description": "Any error that reaches the project's code, caught or not",
        "supportsCondition": True,
        "conditionDescription": "Names of error types, separated by commas",
    },
    {
        "filter": "uncaught",
        "label": "Errors not caught",
        "description": "Errors that no code of the project catches (a prediction from the source)",
        "supportsCondition": True,
        "conditionDescription": "Names of error types, separated by commas",
    },
    {
        "filter": "warning",
        "label": "Warnings shown",
        "description": "Warnings that the filters of the module warnings let through",
        "supportsCondition": True,
        "conditionDescription": "Names of warning types, separated by commas",
    },
]

CAPABILITIES = {
    "supportsConfigurationDoneRequest": True,
    "supportsFunctionBreakpoints": True,
    "supportsConditionalBreakpoints": True,
    "supportsHitConditionalBreakpoints": True,
    "supportsLogPoints": True,
    "supportsEvaluateForHovers": True,
    "exceptionBreakpointFilters": FILTERS,
    "supportsExceptionFilterOptions": True,
    "supportsExceptionInfoRequest": True,
    "supportsSetVariable": True,
    "supportsSetExpression": True,
    "supportsCompletionsRequest": True,
    "completionTriggerCharacters": ["."],
    "supportsBreakpointLocationsRequest": True,
    "supportsLoadedSourcesRequest": True,
    "supportsCancelRequest": True,
    "supportsDelayedStackTraceLoading": True,
    "supportsClipboardContext": True,
    "supportsSingleThreadExecutionRequests": True,
    "supportSuspendDebuggee": False,
    "supportTerminateDebuggee": False,
}


class RequestError(Exception):
    """A request that cannot be done: a short code for programs and a sentence for people."""

    def __init__(self, code: str, text: str) -> None:
        super().__init__(text)
        self.code = code


def capabilities(arguments: dict) -> dict:
    """What this agent can do, for a client that has said `arguments` of itself."""
    body = dict(CAPABILITIES)
    if isinstance(arguments.get("amber"), dict):
        body["amber"] = {
            "version": 1,
            "agent": VERSION,
            "runtime": "python",
            "foreign": True,
            "requests": True,
            "sends": True,
            "reload": True,
            "follow": True,
            "cells": cells.shell() is not None,
        }
    return body


class Requests:
    """Dispatches by name; an error in one request never ends the session."""

    def __init__(self, session, refuses) -> None:
        self._session = session
        self._refuses = refuses
        self._admitted = False
        self._inspection = Inspection(session)
        # The marks of function breakpoints live among the files' marks.
        self._named = session.named = NamedFunctions(session, self._keep_in)
        self._asked: dict = {}
        self.cell_runs = CellRuns(session, self._asked, self._keep_in)
        self._pending: dict = {}
        self._next_look = 0.0

    def receive(self, message: dict) -> None:
        if message.get("type") != "request":
            return
        command = message.get("command")
        arguments = message.get("arguments") or {}
        if not isinstance(command, str) or not isinstance(arguments, dict):
            self._fail(message, "notSupported", "the request is not one of DAP")
            return
        inspect = getattr(self._inspection, "%s" % command, None) if command in Inspection.REQUESTS else None
        method = getattr(self, "do_%s" % command, None)
        try:
            if not self._admitted and command not in ("initialize", "attach", "disconnect"):
                raise RequestError("notAttached", "attach first")
            if inspect is not None:
                self._ask(message, inspect, arguments)
                return
            if method is None:
                raise RequestError("notSupported", "this agent does not know the request %r" % command)
            answer = method(arguments)
        except RequestError as error:
            self._fail(message, error.code, str(error))
            return
        except Exception as error:
            self._fail(message, "failed", "%s: %s" % (type(error).__name__, error))
            return
        self._respond(message, answer)
        self._after(command)

    def _respond(self, message: dict, body) -> None:
        answer = {"type": "response", "request_seq": message.get("seq", 0), "success": True}
        answer["command"] = message.get("command")
        if body is not None:
            answer["body"] = body
        self._session.send(answer)

    def _fail(self, message: dict, code: str, text: str) -> None:
        self._session.send(
            {
                "type": "response",
                "request_seq": message.get("seq", 0),
                "success": False,
                "command": message.get("command"),
                "message": code,
                "body": {"error": {"id": 1, "format": text}},
            }
        )

    def _ask(self, message: dict, inspect, arguments: dict) -> None:
        """Have a question answered by the paused thread it is about."""
        stop = self._inspection.stop_of(arguments)
        if stop is None:
            raise RequestError("notStopped", "the thread runs, or has run on since")

        def answer() -> None:
            try:
                body = inspect(stop, arguments)
            except Exception as error:
                code = getattr(error, "code", None)
                text = str(error) if isinstance(code, str) else "%s: %s" % (type(error).__name__, error)
                self._fail(message, code if isinstance(code, str) else "failed", text)
            except BaseException as error:
                self._fail(message, "cancelled", "cancelled")
                if type(error).__name__ != "Cancelled":
                    raise
            else:
                self._respond(message, body)

        stop.ask(message.get("seq"), answer)

    def _after(self, command: str) -> None:
        if command == "attach":
            self._session.event("initialized", {})
        elif command == "configurationDone":
            entry.client_is_ready(self._session)
        elif command == "disconnect":
            self._session.end()

    # Life of the session.

    def introduce(self, arguments: dict) -> None:
        """What a client has said in `initialize`."""
        self._session.amber_client = isinstance(arguments.get("amber"), dict)

    def do_initialize(self, arguments: dict) -> dict:
        self.introduce(arguments)
        return capabilities(arguments)

    def do_attach(self, arguments: dict) -> None:
        if self._refuses(arguments.get("token")):
            raise RequestError("refused", "the token is missing or wrong")
        self._admitted = True
        self._session.stop_on_entry = bool(arguments.get("stopOnEntry"))
        self._session.hits.tells_requests = self._session.amber_client and arguments.get("requests") is True
        set_veil(arguments.get("veil"))
        joins = arguments.get("forks")
        state.update(joins=joins if isinstance(joins, str) and joins else None, forks=0)
        extra = arguments.get("foreign")
        if isinstance(extra, list):
            self._session.foreign = Foreign(str(item) for item in extra)
        self._session.imports.install()
        self._session.ending.install()
        if self._session.amber_client:
            self._session.served.look()
            self._session.templates.look()
            self.cell_runs.look()
            if arguments.get("output") is True:
                self._session.printed.install()

    def do_configurationDone(self, _arguments: dict) -> None:
        return None

    def do_disconnect(self, _arguments: dict) -> None:
        return None

    def do_cancel(self, arguments: dict) -> None:
        for stop in list(self._session.stops.values()):
            stop.cancel(arguments.get("requestId"))

    def do_amberHeartbeat(self, _arguments: dict) -> None:
        return None

    def do_amberForeign(self, arguments: dict) -> None:
        self._session.foreign = Foreign(str(item) for item in arguments.get("globs") or ())

    # Marks.

    def do_setBreakpoints(self, arguments: dict) -> dict:
        source = arguments.get("source") or {}
        path = source.get("path") or source.get("name")
        if not path:
            raise RequestError("noPath", "a breakpoint needs the path of a file")
        path = real_path(path)
        wanted = [Wanted(item, item.get("line")) for item in arguments.get("breakpoints") or ()]
        self._asked[path] = wanted
        self._apply(path)
        return {"breakpoints": [item.describe() for item in wanted]}

    def do_setFunctionBreakpoints(self, arguments: dict) -> dict:
        wanted = [WantedFunction(item) for item in arguments.get("breakpoints") or ()]
        for path in self._named.set(wanted):
            self._apply(path)
        return {"breakpoints": [item.describe() for item in wanted]}

    def do_amberRequestBreakpoints(self, arguments: dict) -> dict:
        wanted = [WantedRequest(item) for item in arguments.get("breakpoints") or ()]
        self._session.served.look()
        for mark in self._keep(WantedRequest.PATH, [(item.place, item) for item in wanted]):
            mark.bound, mark.route, mark.note = True, "engine", servers.note(self._session.served)
        self._session.served.wanted = wanted
        return {"breakpoints": [item.describe() for item in wanted]}

    def do_amberSendBreakpoints(self, arguments: dict) -> dict:
        wanted = [WantedSend(item) for item in arguments.get("breakpoints") or ()]
        marks = self._keep(WantedSend.PATH, [(item.place, item) for item in wanted])
        self._session.sends.set([item for item in wanted if item.mark is not None])
        for mark in marks:
            mark.bound, mark.route, mark.note = True, "engine", self._session.sends.note()
        return {"breakpoints": [item.describe() for item in wanted]}

    def _apply(self, path: str) -> None:
        """Bring the marks of one file in line with what is asked for."""
        self._session.binder.apply(path, self._keep_in(path))

    def _keep_in(self, path: str) -> list:
        wanted_here = self._asked.get(path, []) + self._named.places_in(path) + self.cell_runs.places_in(path)
        return self._keep(path, [(path, wanted) for wanted in wanted_here])

    def _keep(self, key: str, wanted_here: list) -> list:
        """The marks under `key` are from now on those asked for: [(path, Wanted)]; unchanged ones keep their counts."""
        before = list(self._session.marks.of(key))
        kept = []
        for path, wanted in wanted_here:
            if wanted.trouble:
                continue
            same = [mark for mark in before if mark.same_as(path, wanted)]
            if same and wanted.adopt(same[0]):
                before.remove(same[0])
            else:
                wanted.make(path)
            kept.append(wanted.mark)
        self._session.marks.replace(key, kept)
        return kept

    def do_breakpointLocations(self, arguments: dict) -> dict:
        path = real_path((arguments.get("source") or {}).get("path") or "")
        first = int(arguments.get("line", 1))
        last = int(arguments.get("endLine", first))
        try:
            lines = self._session.binder.file(path).source().lines
        except (OSError, SyntaxError, ValueError) as error:
            raise RequestError("noSource", "the source cannot be read: %s" % error) from None
        return {"breakpoints": [{"line": line} for line in lines.starts(first, last)]}

    def do_setExceptionBreakpoints(self, arguments: dict) -> dict:
        options = list(arguments.get("filterOptions") or ())
        options += [{"filterId": name} for name in arguments.get("filters") or ()]
        known = {item["filter"] for item in FILTERS}
        filters = [
            Filter(item["filterId"], item.get("condition")) for item in options if item.get("filterId") in known
        ]
        self._session.warned.set([filter_ for filter_ in filters if filter_.kind == "warning"])
        note = self._session.raised.set([filter_ for filter_ in filters if filter_.kind != "warning"])
        # What errors cost, warnings do not.
        answers = [
            {"verified": True, "message": note} if note and item.get("filterId") != "warning" else {"verified": True}
            for item in options
        ]
        return {"breakpoints": answers}

    def do_amberMarks(self, _arguments: dict) -> dict:
        self._look_again()
        return self._session.marks.counts()

    def _look_again(self) -> None:
        """What is evaluated tells nobody: marks at functions and in code without a file look for what has come since."""
        begun = perf_counter()
        if begun < self._next_look:
            return
        # Of cells we hear when they run.
        nameless_paths = {
            path
            for path, wanted in self._asked.items()
            if wanted and not nameless.has_file(path) and not cells.is_name(path)
        }
        waits = self._named.waits()
        if not (nameless_paths or waits):
            return
        before = {mark.id: mark.bound for mark in self._session.marks.all()}
        for path in nameless_paths | (self._named.set(self._named.wanted) if waits else set()):
            self._apply(path)
        for mark in self._session.marks.all():
            if mark.bound != before.get(mark.id):
                self._session.mark_changed(mark)
        # It goes over all that is in memory: a fiftieth of the time at most.
        self._next_look = perf_counter() + max(50 * (perf_counter() - begun), 0.2)

    # Threads.

    def do_threads(self, _arguments: dict) -> dict:
        return {"threads": self._session.threads.list(self._session.serving_ident)}

    def do_pause(self, arguments: dict) -> None:
        reason = self._session.pause(arguments.get("threadId", 0))
        if reason:
            raise RequestError("cannotPause", reason)

    def do_continue(self, arguments: dict) -> dict:
        self._go_on(arguments, Action("resume"))
        return {"allThreadsContinued": False}

    def do_next(self, arguments: dict) -> None:
        self._go_on(arguments, Action("over"))

    def do_stepIn(self, arguments: dict) -> None:
        self._go_on(arguments, Action("into", bool(arguments.get("amberAnywhere"))))

    def do_stepOut(self, arguments: dict) -> None:
        self._go_on(arguments, Action("out"))

    def _go_on(self, arguments: dict, action: Action) -> None:
        ident = self._session.threads.ident_of(arguments.get("threadId", 0))
        # Taken out here: a question that follows at once must not reach a stop that is over.
        stop = self._session.stops.pop(ident, None)
        if stop is None:
            raise RequestError("notStopped", "the thread runs")
        self._inspection.forget(stop)
        stop.go_on(action)

    # Sources.

    def do_loadedSources(self, _arguments: dict) -> dict:
        foreign = self._session.foreign
        return {"sources": loaded_files(foreign) + nameless.loaded(foreign)}

    def do_amberCells(self, _arguments: dict) -> dict:
        return {"cells": [{"number": number, "text": text} for number, text in cells.all_of()]}

    def do_amberReload(self, arguments: dict) -> dict:
        path = real_path(str(arguments.get("path") or ""))
        # Their marks are set anew in either case.
        try:
            return reload(self._session.binder, path, str(arguments.get("text") or ""))
        except NotReloaded as error:
            raise RequestError(error.code, str(error)) from None
        finally:
            self._apply(path)

    def do_source(self, arguments: dict) -> dict:
        source = arguments.get("source") or {}
        path = source.get("path") or source.get("name") or ""
        number = arguments.get("sourceReference") or source.get("sourceReference")
        text = nameless.numbered(number) if number else nameless.read(path)
        if text is None:
            raise RequestError("noSource", "there is no source to show for %r" % path)
        return {"content": text, "mimeType": "text/x-python"}
