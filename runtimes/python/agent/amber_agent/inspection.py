"""The requests about a paused thread: its stack, scopes, variables, and expressions in its frames.

Every method runs in the paused thread. A reference given out during one stop means nothing after it.
"""

from __future__ import annotations

import linecache
import traceback

from . import cells
from . import evaluate as evaluation
from . import veil
from .carried import answer_of, parts_of
from .completions import complete
from .nameless import source_of
from .sending import current as sending_now, parts_of as parts_sent
from .served import current
from .stack import frames_of, function_name
from .templates import line_of, names_in
from .values import LONG, PAGE, SHORT, Child, Group, children, counts, fold, is_definition, text_of, type_name


class Refused(Exception):
    """A question that cannot be answered: a code for programs and a sentence for people."""

    def __init__(self, code: str, text: str) -> None:
        super().__init__(text)
        self.code = code


def _hidden(value) -> dict:
    """A value under a name that the veil hides: only its type is told."""
    return {"result": veil.HIDDEN, "type": type_name(value), "variablesReference": 0}


class _Scope:
    """A scope of a frame, as the parent of variables."""

    def __init__(self, frame, names: list, folded) -> None:
        self.frame = frame
        self.names = names
        self.folded = folded


class _Held:
    """A value whose children were offered, with the expression that reaches it."""

    def __init__(self, frame, value, path) -> None:
        self.frame = frame
        self.value = value
        self.path = path


class Inspection:
    """Answers for all stops; keeps which reference belongs to which stop."""

    REQUESTS = frozenset(
        (
            "stackTrace",
            "scopes",
            "variables",
            "evaluate",
            "setVariable",
            "setExpression",
            "completions",
            "exceptionInfo",
        )
    )

    def __init__(self, session) -> None:
        self._session = session
        self._owners: dict = {}

    def stop_of(self, arguments: dict):
        """The stop that a request is about, or None when it is over."""
        reference = arguments.get("frameId") or arguments.get("variablesReference")
        if reference:
            return self._owners.get(reference)
        if "threadId" in arguments:
            ident = self._session.threads.ident_of(arguments["threadId"])
            return self._session.stops.get(ident)
        # An expression without a frame: any paused thread will do.
        return next(iter(self._session.stops.values()), None)

    def forget(self, stop) -> None:
        """The stop is over: its references are void."""
        for reference in list(stop.handles):
            self._owners.pop(reference, None)

    def _give(self, stop, item) -> int:
        reference = self._session.new_reference()
        stop.handles[reference] = item
        self._owners[reference] = stop
        return reference

    def stackTrace(self, stop, arguments: dict) -> dict:
        if stop.frames is None:
            stop.frames = [(self._give(stop, frame), frame) for frame in frames_of(stop.frame)]
        start = arguments.get("startFrame") or 0
        levels = arguments.get("levels") or len(stop.frames)
        page = stop.frames[start : start + levels]
        return {
            "stackFrames": [self._stack_frame(number, frame) for number, frame in page],
            "totalFrames": len(stop.frames),
        }

    def _stack_frame(self, number: int, frame) -> dict:
        code = frame.f_code
        body = {"id": number, "name": function_name(code), "line": line_of(frame) or 0, "column": 1}
        body["source"] = source_of(code)
        if self._session.foreign.is_foreign(code.co_filename):
            body["presentationHint"] = "subtle"
        return body

    def scopes(self, stop, arguments: dict) -> dict:
        frame = self._frame(stop, arguments)
        code = frame.f_code
        local = frame.f_locals
        scopes = []
        in_template = [Child(name, value) for name, value in names_in(frame).items() if not callable(value)]
        if in_template:
            body = {"name": "Template", "namedVariables": len(in_template), "expensive": False}
            scopes.append({**body, "variablesReference": self._give(stop, _Held(frame, Group(in_template), None))})
        if local is not frame.f_globals:
            free = [name for name in code.co_freevars if name in local and name != "__class__"]
            names = [name for name in local if name not in code.co_freevars]
            order = {name: index for index, name in enumerate(code.co_varnames)}
            names.sort(key=lambda name: order.get(name, len(order)))
            scopes.append(self._scope(stop, "Locals", "locals", frame, names, None))
            if free:
                scopes.append(self._scope(stop, "Closure", "closure", frame, free, None))
        elif cells.name_of(code.co_filename) is not None:
            words = cells.words_of(cells.name_of(code.co_filename))
            named = [word for word in words if word in local and not is_definition(Child(word, local[word]))]
            scopes.append(self._scope(stop, "Cell", "locals", frame, named, None))
        names = sorted(name for name in frame.f_globals if isinstance(name, str))
        scopes.append(self._scope(stop, "Globals", "globals", frame, names, is_definition))
        return {"scopes": scopes + self._of_request(stop, frame)}

    def _of_request(self, stop, frame) -> list:
        """What is sent here, what the request that is served here carries, and what has been answered so far."""
        request, sending = current(), sending_now()
        wanted = [] if request is None else [("Request", parts_of, request), ("Response", answer_of, request)]
        if sending is not None:
            wanted.insert(0, ("Sent", parts_sent, sending))
        found = []
        for name, parts, of in wanted:
            try:
                held = _Held(frame, Group(parts(of)), None)
            except Exception as error:
                self._session.served.trouble(error)
                continue
            body = {"name": name, "namedVariables": len(held.value.children), "expensive": name != "Sent"}
            body["variablesReference"] = self._give(stop, held)
            found.append(body)
        return found

    def _scope(self, stop, name: str, hint: str, frame, names: list, folded) -> dict:
        body = {"name": name, "namedVariables": len(names), "expensive": hint == "globals"}
        if hint != "closure":
            body["presentationHint"] = hint
        body["variablesReference"] = self._give(stop, _Scope(frame, names, folded))
        return body

    def variables(self, stop, arguments: dict) -> dict:
        held = stop.handles.get(arguments.get("variablesReference"))
        start = arguments.get("start") or 0
        count = arguments.get("count") or PAGE
        if isinstance(held, _Scope):
            found = self._scope_children(held)[start : start + count]
        elif isinstance(held, _Held):
            kind = arguments.get("filter") or ""
            found = children(held.value, held.path, start, count, kind)
            found = self._with_rest(found, held.value, start, arguments)
        else:
            raise Refused("noSuchReference", "this reference does not hold variables")
        return {"variables": [self._variable(stop, held.frame, child) for child in found]}

    @staticmethod
    def _with_rest(found: list, value, start: int, arguments: dict) -> list:
        """A client that does not page is told how much it has not been sent."""
        left = sum(counts(value)) - start - len(found)
        if arguments.get("count") or left <= 0:
            return found
        return found + [Child("…", Group([Child("", None)] * left))]

    @staticmethod
    def _scope_children(scope: _Scope) -> list:
        names = scope.frame.f_locals if scope.folded is None else scope.frame.f_globals
        found = [Child(name, names[name], name) for name in scope.names if name in names]
        if scope.folded is None:
            return fold(found)
        return fold(found, scope.folded, "definitions")

    def _variable(self, stop, frame, child: Child) -> dict:
        hidden = veil.current().hides(child.name) and not is_definition(child)
        body = _hidden(child.value) if hidden else self._value(stop, frame, child.value, child.path, SHORT)
        body["name"] = child.name
        body["value"] = body.pop("result")
        if child.path:
            body["evaluateName"] = child.path
        if child.private:
            body["presentationHint"] = {"visibility": "private"}
        return body

    def _value(self, stop, frame, value, path, limit: int) -> dict:
        """A value as DAP describes it, with a reference when it has children."""
        named, indexed = counts(value)
        if isinstance(value, Group):
            body = {"result": "%s names" % format(named, ","), "type": ""}
        else:
            body = {"result": text_of(value, limit), "type": type_name(value)}
        body["variablesReference"] = self._give(stop, _Held(frame, value, path)) if named + indexed else 0
        if named:
            body["namedVariables"] = named
        if indexed:
            body["indexedVariables"] = indexed
        return body

    def evaluate(self, stop, arguments: dict) -> dict:
        frame = self._frame(stop, arguments)
        text = arguments.get("expression") or ""
        context = arguments.get("context") or "watch"
        try:
            if context == "repl" and not evaluation.is_expression(text):
                value = evaluation.run(frame, text)
                if value is None:
                    return {"result": "", "variablesReference": 0}
            else:
                value = evaluation.evaluate(frame, text)
        except SyntaxError as error:
            raise Refused("syntax", evaluation.syntax_text(error, text)) from None
        except Exception as error:
            raise Refused("raised", "%s: %s" % (type(error).__name__, error)) from None
        limit = {"repl": LONG, "clipboard": 100 * LONG}.get(context, SHORT)
        path = text.strip() if evaluation.is_expression(text) else None
        if path and not path.replace(".", "").replace("_", "").isalnum():
            path = "(%s)" % path
        if veil.current().hides_expression(text) and not is_definition(Child("", value)):
            return _hidden(value)
        return self._value(stop, frame, value, path, limit)

    def setVariable(self, stop, arguments: dict) -> dict:
        held = stop.handles.get(arguments.get("variablesReference"))
        name = arguments.get("name") or ""
        if isinstance(held, _Scope):
            target = name
        elif isinstance(held, _Held) and held.path:
            total = sum(counts(held.value))
            found = [child for child in children(held.value, held.path, 0, min(total, PAGE), "") if child.name == name]
            target = found[0].path if found else None
        else:
            target = None
        if not target:
            raise Refused("cannotAssign", "%r cannot be assigned to here" % name)
        return self._assign(stop, held.frame, target, arguments.get("value") or "")

    def setExpression(self, stop, arguments: dict) -> dict:
        frame = self._frame(stop, arguments)
        return self._assign(stop, frame, arguments.get("expression") or "", arguments.get("value") or "")

    def _assign(self, stop, frame, target: str, text: str) -> dict:
        try:
            value = evaluation.assign(frame, target, text)
        except SyntaxError as error:
            raise Refused("syntax", evaluation.syntax_text(error, text)) from None
        except Exception as error:
            raise Refused("raised", "%s: %s" % (type(error).__name__, error)) from None
        body = self._value(stop, frame, value, target, SHORT)
        body["value"] = body.pop("result")
        return body

    def completions(self, stop, arguments: dict) -> dict:
        frame = self._frame(stop, arguments)
        text, column = arguments.get("text") or "", int(arguments.get("column") or 1)
        try:
            return {"targets": complete(frame, text, column)}
        except Exception:
            return {"targets": []}

    def exceptionInfo(self, stop, _arguments: dict) -> dict:
        if stop.exception is None:
            raise Refused("noException", "this thread did not stop for an error")
        error, kind = stop.exception
        linecache.checkcache()
        frames = traceback.format_list(traceback.extract_stack(stop.frame))
        return {
            "exceptionId": type_name(error),
            "description": text_of(error, LONG) if not str(error) else str(error)[:LONG],
            "breakMode": "always" if kind == "raised" else "userUnhandled",
            "details": {
                "message": str(error)[:LONG],
                "typeName": type(error).__name__,
                "fullTypeName": type_name(error),
                "stackTrace": "".join(frames[-50:]),
            },
        }

    def _frame(self, stop, arguments: dict):
        reference = arguments.get("frameId")
        if not reference:
            return stop.frame
        frame = stop.handles.get(reference)
        if frame is None or isinstance(frame, (_Scope, _Held)):
            raise Refused("noSuchFrame", "there is no such frame any more")
        return frame
