"""What others find of this process: the run folder, and in it the file that describes the process.

Only what the interpreter has loaded at start is imported here (``os`` and C modules), as in ``dormant``.
"""

import os
import sys
from _json import encode_basestring_ascii as _quote

from . import VERSION

# `signal` wakes the agent, 0: none does; `folder`: the run folder that was named when the agent was brought in;
# `launch`: the file that claims the launch which this is part of; `joins`: the name that a client which is attached gives to
# forks that are to wait for it, and `forks` how many there have been; `written`: the process that has described itself, and its file.
state = {"signal": 0, "folder": None, "launch": None, "joins": None, "forks": 0, "written": None, "trouble": "", "listens": False}


def run_folder():
    """The folder of endpoints: the user's own, mode 0700, or the one AMBER_RUN_DIR names.

    Raises OSError when somebody else could place a socket in it.
    """
    named = state["folder"] or os.environ.get("AMBER_RUN_DIR")
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
        '"socket":%s,"agent":%s,"command":%s,"folder":%s,"trouble":%s,%s"client":%s}\n'
    ) % (
        _quote(".".join(map(str, sys.version_info[:3]))),
        pid,
        _start_ticks(),
        state["signal"],
        _quote("%s/%d.sock" % (folder, pid)),
        _quote(VERSION),
        _quote(_command()),
        _quote(_folder()),
        _quote(state["trouble"]),
        '"launch":%s,' % _quote(state["launch"].rpartition("/")[2]) if state["launch"] else "",
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
    state["written"] = (pid, path)


def listens():
    """The endpoint is there: from here on nothing is said in the program's own output."""
    state["listens"] = True


def tell(error):
    """That something of ours has failed: in the description file, since the program's output is not ours.

    Only whoever has asked for a port in the environment, and made a mistake in that, is told at once.
    """
    if os.environ.get("AMBER_LISTEN") and not state["listens"]:
        os.write(2, ("amber: this Python cannot be attached to: %s\n" % (error,)).encode("utf-8", "replace"))
    state["trouble"] = repr(error)[:200]
    try:
        describe(None)
    except Exception:
        # Nobody can be told: the folder is gone, or there is no descriptor left.
        pass


def forget():
    """At exit: take the description away, unless a fork left us with the parent's."""
    written = state["written"]
    if written and written[0] == os.getpid():
        for path in (written[1], written[1][:-5] + ".sock"):
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
