"""One client's session: its marks, its paused threads, and the life of both.

Requests are answered in requests.py; this is what the hooks in the program's threads talk to.
"""

from __future__ import annotations

import sys
from _thread import allocate_lock, get_ident

from . import servers
from .bind import Binder
from .description import state
from .ending import Ending
from .events import Events
from .followed import Followed
from .held import EVENT_LOOP, held_with
from .hits import Hits
from .imports import ImportHook
from .jobs import CeleryJobs
from .live import name_of
from .marks import Marks, Probe
from .pause import Action, Stop
from .printed import Printed
from .raised import Raised
from .requests import Requests
from .sends import Sends
from .served import Served, current
from .stack import Foreign, is_ours
from .step import Stepper, is_suspending
from .template_marks import Templates
from .templates import line_of
from .threads import Threads
from .tracing import FrameTracing
from .warned import Warned


class Session:
    """Lives from the client's connection to its end, by whichever way."""

    is_ours = staticmethod(is_ours)
    is_suspending = staticmethod(is_suspending)

    def __init__(self, post, refuses) -> None:
        self._post = post
        self._lock = allocate_lock()
        self.busy: set = set()
        self._steppers: dict = {}
        self._ended = False
        self.serving_ident = get_ident()
        self.over = False
        self.stop_on_entry = False
        self.amber_client = False
        self.stops: dict = {}
        self.foreign = Foreign()
        self.threads = Threads()
        self.hits = Hits(self)
        self.followed = Followed(self)
        self.printed = Printed(self)
        self.marks = Marks(self)
        self.probe = Probe(self.marks)
        self.events = Events(self)
        self.tracing = FrameTracing(self)
        self.served = Served(self, servers.known, CeleryJobs)
        self.sends = Sends(self)
        self.raised = Raised(self)
        self.warned = Warned(self)
        self.binder = Binder(self)
        self.ending = Ending(self)
        # Waits until all that was told is sent (server.py).
        self.last_words = lambda: None
        self.imports = ImportHook(self)
        self.templates = Templates(self)
        # Marks at functions by name (named.py), once requests come.
        self.named = None
        self._requests = Requests(self, refuses)
        self.cell_runs = self._requests.cell_runs
        self._next_reference = 1

    # For the serving thread.

    def introduce(self, arguments: dict) -> None:
        """What a client has said in `initialize`, and has been answered."""
        self._requests.introduce(arguments)

    def receive(self, message: dict) -> None:
        """A message from the client."""
        self._requests.receive(message)

    def tick(self) -> None:
        """Called at least once a second."""
        if self.amber_client and not self.over:
            self.served.look()
            self.sends.look()
            self.templates.look()
            self.cell_runs.look()
        for ident, stepper in list(self._steppers.items()):
            if not stepper.active:
                self._steppers.pop(ident, None)

    @property
    def silence_matters(self) -> bool:
        """Whether a client that says nothing holds up the program."""
        return self.amber_client and bool(self.stops)

    def end(self) -> None:
        """Take everything out and let every thread go on. Safe to call twice."""
        with self._lock:
            if self._ended:
                return
            self._ended = True
        self.over = True
        self.marks.clear()
        self.probe.silence()
        for undo in (
            lambda: state.update(joins=None),
            self.served.remove,
            self.sends.remove,
            self.templates.remove,
            self.cell_runs.remove,
            self.printed.remove,
            self.ending.remove,
            self.imports.remove,
            self.binder.end,
            lambda: self.raised.set([]),
            lambda: self.warned.set([]),
            self.events.close,
        ):
            try:
                undo()
            except Exception as error:
                self.trouble("taking the marks out failed", error)
        for stepper in list(self._steppers.values()):
            stepper.cancel()
        for stop in list(self.stops.values()):
            stop.go_on(Action("resume"))

    def abandon(self) -> None:
        """In a forked child: as end(), where the parent's other threads do not exist."""
        self._lock = allocate_lock()
        self._post = lambda message: None
        self.stops.clear()
        self._steppers.clear()
        self.end()

    def send(self, message: dict) -> None:
        self._post(message)

    def event(self, name: str, body: dict) -> None:
        self._post({"type": "event", "event": name, "body": body})

    def new_reference(self) -> int:
        """A number for a frame or a variable; none is given twice in a session."""
        with self._lock:
            self._next_reference += 1
            return self._next_reference

    # For the hooks, in the program's threads.

    def is_busy(self, ident: int) -> bool:
        """Whether the thread runs something of ours, where no mark may stop it."""
        return ident in self.busy or ident == self.serving_ident

    def set_busy(self, ident: int, busy: bool) -> None:
        if busy:
            self.busy.add(ident)
        else:
            self.busy.discard(ident)

    def trouble(self, what: str, error: BaseException) -> None:
        """Something of ours failed; the client is told, the program is not."""
        text = "amber agent: %s (%s: %s)\n" % (what, type(error).__name__, error)
        self.event("output", {"category": "important", "output": text})

    def event_failed(self, error: BaseException) -> None:
        """A hook that was put into another thread failed."""
        self.trouble("a hook failed", error)

    def tell_counts(self) -> None:
        """The program ends: nobody can ask for the counts any more."""
        if self.amber_client:
            self.event("amberCounts", self.marks.counts())

    def mark_changed(self, mark) -> None:
        self.event("breakpoint", {"reason": "changed", "breakpoint": mark.describe()})

    def stop_at_mark(self, frame, mark) -> None:
        """A mark was hit. A step that has just stopped before this very line has stopped for both."""
        stepper = self._steppers.get(get_ident())
        if stepper is not None and stepper.has_stopped_at(frame):
            return
        self.stop_here(frame, "breakpoint", mark_ids=[mark.id])

    def stop_after_step(self, frame) -> None:
        path = name_of(frame.f_code)
        here = [mark.id for mark in self.marks.of(path) if mark.bound and mark.line == line_of(frame)]
        self.stop_here(frame, "step", settle=bool(here))

    def stop_here(self, frame, reason: str, mark_ids=(), exception=None, settle: bool = False) -> None:
        """Pause this thread before the next line of `frame` until the client lets it go on."""
        ident = get_ident()
        stop = Stop(ident, self.threads.id_of(ident), frame, reason, exception)
        with self._lock:
            if self._ended or self.is_busy(ident):
                return
            self.stops[ident] = stop
        previous = self._steppers.pop(ident, None)
        if previous is not None and previous.active:
            previous.remove()
        self.set_busy(ident, True)
        try:
            self.hits.then_tell("stopped", self._stopped(stop, mark_ids))
            action = stop.wait()
        except BaseException:
            # An interrupt has ended it, for instance a front end's that ends a cell.
            self.hits.then_tell("continued", {"threadId": stop.thread_id, "allThreadsContinued": False})
            raise
        finally:
            self.set_busy(ident, False)
            self.stops.pop(ident, None)
        if self._ended:
            return
        if action.mode != "resume" or settle:
            mode = action.mode if action.mode != "resume" else "settle"
            stepper = Stepper(self, frame, mode, action.anywhere, ident)
            stepper.came_by_step = settle
            self._steppers[ident] = stepper
            stepper.install()

    def _stopped(self, stop: Stop, mark_ids) -> dict:
        body = {"reason": stop.reason, "threadId": stop.thread_id, "allThreadsStopped": False}
        if mark_ids:
            body["hitBreakpointIds"] = list(mark_ids)
        if self.amber_client:
            request, held = current(), held_with(stop.frame)
            amber = {} if request is None else {"request": request.describe()}
            if held:
                amber["holds"] = {"what": held, "waiting": self.served.others() if held == EVENT_LOOP else None}
            body["amber"] = amber
        if stop.exception is not None:
            error, _kind = stop.exception
            body["text"] = type(error).__name__
        return body

    def pause(self, thread_id: int) -> str:
        """Ask a running thread to stop. Returns "" or why it cannot be."""
        from . import arming, events

        ident = self.threads.ident_of(thread_id)
        if not ident or ident not in sys._current_frames():
            return "there is no thread %d" % thread_id
        if ident in self.stops:
            return "thread %d is paused already" % thread_id
        if events.available:
            done = self.events.pause(ident)
        else:
            done = arming.call_in_thread(ident, self._pause_at_event, self.event_failed)
        return "" if done else "Python %d.%d cannot pause a thread that runs" % sys.version_info[:2]

    def _pause_at_event(self, frame) -> None:
        while frame is not None and is_ours(frame):
            frame = frame.f_back
        if frame is not None:
            self.stop_here(frame, "pause")
