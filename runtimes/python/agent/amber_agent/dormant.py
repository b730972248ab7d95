"""The dormant agent: a signal handler and a description file, and nothing else.

No thread, no socket, no port. `amber attach` sends the signal named in the description; the handler
starts the serving thread, which is gone again after the client has left.

Only what the interpreter has loaded at start is imported here (``os`` and C modules): `signal` alone,
with its enums, would cost more than all of this.
"""

import _signal
import _thread
import atexit
import os
import sys

from . import description
from .description import state

# Real-time signals have no meaning of their own, so the last free one is ours.
_SIGNALS = range(62, 40, -1)

# In a process that was not prepared: what was asked for, and the signals that its threads do not take.
_lent = {}
# Whether a child that is forked calls us: there is no way to take that back.
_hooked = []
# Forks of which a client may have the program wait: a server that forks for each request is let be after that.
_MOST_FORKS = 16
_TOO_MANY = "amber agent: what this process forks from now on has no marks: there were %d forks, and each waits for them\n"
# Seconds for which one waits for a client that does not come.
_JOINING_SECONDS = 5.0
# Held while a serving thread lives. Only ever tried, never waited for: the signal handler may
# interrupt itself.
_serving = _thread.allocate_lock()


def ready():
    """Describe this process and wait for the signal. Safe to call more than once."""
    if state["signal"]:
        return
    if os.environ.get("AMBER_OFF") or _is_held():
        return
    state["signal"] = _install_signal()
    launch = os.environ.get("AMBER_LAUNCH")
    waits = bool(launch) and _join_launch(launch)
    description.describe(None)
    _hook()
    if os.environ.get("AMBER_LISTEN"):
        _serve_soon()
    if waits:
        _wait_in_launch(launch, True)


def _is_held():
    """Whether a server in C holds this interpreter: its main thread, which would have to wake us, waits outside of it.

    Such a process is as one that was not prepared, unless it is to listen or to be launched.
    """
    if os.environ.get("AMBER_LISTEN") or os.environ.get("AMBER_LAUNCH"):
        return False
    try:
        return os.path.basename(os.readlink("/proc/self/exe")).startswith("uwsgi")
    except OSError:
        return False


def lend(folder, blocked, begun):
    """Serve a client at once, in a process that was not prepared for it; nothing is left to be woken afterwards.

    `folder`: the run folder; `blocked`: the signals (bit 0 is signal 1) that the main thread did not take before;
    `begun`: the file that says that this was asked for, which amber takes away, unless it was killed meanwhile.
    """
    if sys.version_info < (3, 8):
        raise NotImplementedError("the agent needs Python 3.8 or later")
    _hook()
    _lent.update(blocked=blocked, begun=begun)
    state["folder"] = folder
    description.describe(None)
    _serve_soon()


def _hook():
    atexit.register(_at_exit)
    if not _hooked:
        os.register_at_fork(after_in_child=_after_fork, after_in_parent=_after_forking)
        _hooked.append(True)


def _at_exit():
    server = sys.modules.get(__package__ + ".server")
    if server is not None:
        server.last_words()
    description.forget()


def _give_back():
    """The client of a process that was not prepared has gone: nothing is left that would act."""
    try:
        os.unlink(_lent["begun"])
    except OSError:
        pass
    _lent.clear()
    state["folder"] = None
    if not state["signal"]:
        description.forget()
        atexit.unregister(_at_exit)
        state["written"] = None


def _install_signal():
    for number in _SIGNALS:
        if _signal.getsignal(number) in (0, None, _signal.SIG_DFL):
            try:
                _signal.signal(number, _on_signal)
            except ValueError:
                # Not the main thread: attachable by AMBER_LISTEN only.
                return 0
            return number
    return 0


def _on_signal(_number, _frame):
    _serve_soon()


def _serve_soon():
    if not _serving.acquire(False):
        return
    # Loaded here, in the main thread, and not in the serving one: two threads that import the same modules
    # at once may see each other's half-loaded ones, and the one to fail would be the program. The thread
    # that imports `threading` first is the main thread for it, too. So nothing is imported later, by the serving
    # thread: a fork in the middle of that would leave the child with half a module.
    try:
        from . import server  # noqa: F401
    except ImportError:
        # The signal came in the middle of an import; the client sends it again.
        _serving.release()
        return
    except Exception as error:  # this is the program's thread, in the middle of its work
        description.tell(error)
        _serving.release()
        return
    # threading.Thread.start takes a lock that the interrupted code may hold; this does not.
    _thread.start_new_thread(_serve, ())


def _serve():
    try:
        if _lent:
            # Made in a thread that was taken out of its work with every signal blocked.
            _signal.pthread_sigmask(_signal.SIG_SETMASK, _signals_in(_lent["blocked"]))
        from . import server

        server.serve()
    except BaseException as error:  # the program must not see a traceback of ours
        description.tell(error)
    finally:
        if _lent:
            _give_back()
        _serving.release()


def _signals_in(bits):
    return [number for number in range(1, 65) if bits >> (number - 1) & 1]


def _join_launch(claim):
    """Under `amber launch` every interpreter waits for the client before its first line; the first one stops there.

    Called before the process is described, since its description says whether it waits. Gives whether it is to wait.
    """
    from . import entry

    if not entry.is_on(claim):
        return False
    # Before the claim, which is what the client waits for: it may be ready before we come to wait for it.
    entry.expect_client()
    try:
        handle = os.open(claim, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
    except OSError:
        state["launch"] = claim
        return True
    os.write(handle, str(os.getpid()).encode("ascii"))
    os.close(handle)
    return True


def _wait_in_launch(claim, begins, seconds=None):
    from . import entry

    state["launch"] = claim
    entry.wait_for_client(_serve_soon, claim, begins, seconds or entry.PATIENCE_SECONDS)


def _after_forking():
    state["forks"] += 1
    server = sys.modules.get(__package__ + ".server")
    if state["joins"] and state["forks"] == _MOST_FORKS and server is not None:
        server.say(_TOO_MANY % _MOST_FORKS)


def _joining():
    """The name that a client which is attached gives to forks that are to wait for it; None where they are let be."""
    from . import entry

    claim = state["joins"] if state["forks"] < _MOST_FORKS else None
    return claim if claim and entry.is_on(claim) else None


def _after_fork():
    global _serving
    _serving = _thread.allocate_lock()
    state["written"] = None
    was_lent = bool(_lent)
    _lent.clear()
    try:
        joining = _joining()
        if joining:
            state["launch"] = joining
        if was_lent and joining:
            # As its parent: nothing is left once the client has gone.
            _lent.update(blocked=0, begun="")
        else:
            state["folder"] = None
        server = sys.modules.get(__package__ + ".server")
        if server is not None:
            server.after_fork()
        entry = sys.modules.get(__package__ + ".entry")
        if state["launch"] and entry.is_on(state["launch"]):
            entry.expect_client()
            description.describe(None)
            _wait_in_launch(state["launch"], False, _JOINING_SECONDS if joining else None)
            if joining:
                state["launch"] = None
        elif state["signal"]:
            description.describe(None)
    except Exception:
        pass
