"""Jobs of workers, which are to them what requests are to servers: known under the method `JOB` and the path `/NAME`."""

from __future__ import annotations

import sys

from .interfaces import safely
from .served import Request, current

METHOD = "JOB"


class CeleryJobs:
    """Tasks of Celery, by the signals that its workers give around each of them."""

    def __init__(self, served) -> None:
        self._served = served
        self._signals = None
        # Those that began here: what was begun by others goes on.
        self._running: set = set()

    def look(self) -> None:
        """Listen to a worker that has been loaded by now."""
        if self._signals is None and "celery.app.trace" in sys.modules:
            self._signals = sys.modules["celery.signals"]
            self._signals.task_prerun.connect(self._begin, weak=False)
            self._signals.task_postrun.connect(self._end, weak=False)

    @property
    def is_known(self) -> bool:
        return self._signals is not None

    def remove(self) -> None:
        if self._signals is not None:
            self._signals.task_prerun.disconnect(self._begin)
            self._signals.task_postrun.disconnect(self._end)
            self._signals = None

    def _begin(self, task_id=None, task=None, **_rest) -> None:
        # A task that is called by a handler, without a worker, belongs to the request.
        if current() is None:
            self._running.add(task_id)
            safely(self._served, lambda: self._served.begin(_from_task(task_id, task)))

    def _end(self, task_id=None, **_rest) -> None:
        if task_id in self._running:
            self._running.discard(task_id)
            safely(self._served, self._served.end)


def _from_task(task_id, task) -> Request:
    asked = task.request
    headers = {"id": task_id, "retries": str(asked.retries or 0)}
    headers.update((asked.delivery_info or {}).items())
    headers.update((asked.headers or {}).items())
    named = {str(name).lower(): str(value) for name, value in headers.items() if value is not None}
    return Request(METHOD, "/%s" % task.name, lambda name: named.get(name.lower()), lambda: list(named.items()))
