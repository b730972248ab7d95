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
from _json import encode_basestring_ascii as _quote

from . import VERSION

# Real-time signals have no meaning of their own, so the last free one is ours.
_SIGNALS = range(62, 40, -1)

_state = {"signal": 0, "description": None, "trouble": "", "listens": False, "hooked": False}
# In a process that was not prepared: where its endpoint is, and the signals that its threads do not take.
_lent = {}
# Held while a serving thread lives. Only ever tried, never waited for: the signal handler may
# interrupt itself.
_serving = _thread.allocate_lock()


def ready():
    """Describe this process and wait for the signal. Safe to call more than once."""
    if _state["signal"]:
        return
    if os.environ.get("AMBER_OFF"):
        return
    _state["signal"] = _install_signal()
    describe(None)
    _hook()
    if os.environ.get("AMBER_LISTEN"):
        _serve_soon()
    if os.environ.get("AMBER_LAUNCH"):
        _claim_launch()


def lend(folder, blocked, begun):
    """Serve a client at once, in a process that was not prepared for it; nothing is left to be woken afterwards.

    `folder`: the run folder; `blocked`: the signals (bit 0 is signal 1) that the main thread did not take before;
    `begun`: the file that says that this was asked for, which amber takes away, unless it was killed meanwhile.
    """
    if sys.version_info < (3, 8):
        raise NotImplementedError("the agent needs Python 3.8 or later")
    _hook()
    _lent.update(folder=folder, blocked=blocked, begun=begun)
    describe(None)
    _serve_soon()


def _hook():
    atexit.register(_forget)
    if not _state["hooked"]:
        # There is no way to take this one back.
        os.register_at_fork(after_in_child=_after_fork)
        _state["hooked"] = True


def _give_back():
    """The client of a process that was not prepared has gone: nothing is left that would act."""
    try:
        os.unlink(_lent["begun"])
    except OSError:
        pass
    _lent.clear()
    if not _state["signal"]:
        _forget()
        atexit.unregister(_forget)
        _state["description"] = None


def run_folder():
    """The folder of endpoints: the user's own, mode 0700, or the one AMBER_RUN_DIR names.

    Raises OSError when somebody else could place a socket in it.
    """
    named = _lent.get("folder") or os.environ.get("AMBER_RUN_DIR")
    if named:
        folder = named
    else:
        base = os.environ.get("XDG_RUNTIME_DIR")
        if base and os.path.isdir(base):
            folder = base + "/amber-lantern"
        else:
            folder = "/tmp/amber-lantern-%d" % os.getuid()
    try:
        os.mkdir(folder, 0o700)
    except FileExistsError:
        pass
    status = os.lstat(folder)
    if status.st_mode & 0o170000 != 0o040000:
        raise OSError("%s is not a folder" % folder)
    if named:
        if status.st_mode & 0o002:
            raise OSError("%s (AMBER_RUN_DIR) is open to everybody; chmod o-rwx it" % folder)
    elif status.st_uid != os.getuid() or status.st_mode & 0o077:
        raise OSError("%s belongs to another user or is open to others" % folder)
    return folder


def describe(client):
    """Write this process's description file; `client` is the JSON text of who is attached, or None."""
    pid = os.getpid()
    folder = run_folder()
    path = "%s/%d.json" % (folder, pid)
    text = (
        '{"version":1,"runtime":"python","runtimeVersion":%s,"pid":%d,"startTicks":%d,"signal":%d,'
        '"socket":%s,"agent":%s,"command":%s,"folder":%s,"trouble":%s,"client":%s}\n'
    ) % (
        _quote(".".join(map(str, sys.version_info[:3]))),
        pid,
        _start_ticks(),
        _state["signal"],
        _quote("%s/%d.sock" % (folder, pid)),
        _quote(VERSION),
        _quote(_command()),
        _quote(_folder()),
        _quote(_state["trouble"]),
        client or "null",
    )
    # Written beside and renamed: a reader never sees half of it.
    beside = path + ".new"
    handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o600)
    try:
        os.write(handle, text.encode("ascii"))
    except OSError:
        os.unlink(beside)
        raise
    finally:
        os.close(handle)
    os.rename(beside, path)
    _state["description"] = (pid, path)


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
    # that imports `threading` first is the main thread for it, too.
    try:
        from . import server  # noqa: F401
    except ImportError:
        # The signal came in the middle of an import; the client sends it again.
        _serving.release()
        return
    except Exception as error:  # this is the program's thread, in the middle of its work
        tell(error)
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
        tell(error)
    finally:
        if _lent:
            _give_back()
        _serving.release()


def _signals_in(bits):
    return [number for number in range(1, 65) if bits >> (number - 1) & 1]


def listens():
    """The endpoint is there: from here on nothing is said in the program's own output."""
    _state["listens"] = True


def tell(error):
    """That something of ours has failed: in the description file, since the program's output is not ours.

    Only whoever has asked for a port in the environment, and made a mistake in that, is told at once.
    """
    if os.environ.get("AMBER_LISTEN") and not _state["listens"]:
        os.write(2, ("amber: this Python cannot be attached to: %s\n" % (error,)).encode("utf-8", "replace"))
    _state["trouble"] = repr(error)[:200]
    try:
        describe(None)
    except Exception:
        # Nobody can be told: the folder is gone, or there is no descriptor left.
        pass


def _claim_launch():
    """Under `amber launch` the first interpreter to come up waits for the client at its first line."""
    claim = os.environ.pop("AMBER_LAUNCH")
    from . import entry

    # Before the claim, which is what the client waits for: it may be ready before we come to wait for it.
    entry.expect_client()
    try:
        handle = os.open(claim, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
    except OSError:
        entry.expect_nobody()
        return
    os.write(handle, str(os.getpid()).encode("ascii"))
    os.close(handle)
    entry.wait_for_client(_serve_soon)


def _after_fork():
    global _serving
    _serving = _thread.allocate_lock()
    _state["description"] = None
    _lent.clear()
    try:
        server = sys.modules.get(__package__ + ".server")
        if server is not None:
            server.after_fork()
        if _state["signal"]:
            describe(None)
    except Exception:
        pass


def _forget():
    """At exit: take the description away, unless a fork left us with the parent's."""
    described = _state["description"]
    if described and described[0] == os.getpid():
        for path in (described[1], described[1][:-5] + ".sock"):
            try:
                os.unlink(path)
            except OSError:
                pass


def _start_ticks():
    """Start time in clock ticks since boot (field 22 of /proc/PID/stat): tells a reused pid."""
    try:
        with open("/proc/self/stat", "rb") as file:
            return int(file.read().rpartition(b")")[2].split()[19])
    except (OSError, ValueError, IndexError):
        return 0


def _command():
    try:
        with open("/proc/self/cmdline", "rb") as file:
            return file.read().rstrip(b"\0").replace(b"\0", b" ").decode("utf-8", "replace")
    except OSError:
        return sys.executable or "python"


def _folder():
    try:
        return os.getcwd()
    except OSError:
        return ""
