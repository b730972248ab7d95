"""What a thread that is paused holds besides itself: a service is more than the request that somebody looks at."""

from __future__ import annotations

import sys

EVENT_LOOP = "the event loop"
# Modules whose code serves one request after the other in this very thread, and what is held with it then.
_ALONE = {
    "socketserver": "the server, which serves one request at a time",
    "gunicorn.workers.sync": "this worker, which its master ends after its time-out",
}
# Names of their functions that are on the stack of the thread that accepts.
_ACCEPTING = ("serve_forever", "handle_request", "run_for_one", "run_for_multiple")


def held_with(frame) -> str:
    """What is held with this thread, which is paused in `frame`; "" where that is nothing that we know of."""
    events = sys.modules.get("asyncio.events")
    if events is not None and events._get_running_loop() is not None:
        return EVENT_LOOP
    while frame is not None:
        if frame.f_code.co_name in _ACCEPTING:
            held = _ALONE.get(frame.f_globals.get("__name__"))
            if held:
                return held
        frame = frame.f_back
    return ""
