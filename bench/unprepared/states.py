"""A program in one of the states in which `amber attach` may find it; it watches itself and says what was wrong.

python states.py STATE: runs until it reads the end of its standard input, then prints `right N` or `wrong WHAT`.
"""

import ctypes
import os
import select
import signal
import sys
import threading
import time
import warnings

# Newer Pythons warn of forks where there are threads, as there are here.
warnings.simplefilter("ignore")
state = sys.argv[1]
over = threading.Event()
seen = {"rounds": 0, "wrong": ""}


def work(n):
    total = 0
    for i in range(n):
        total += i * i % 7
    return total


EXPECTED = work(2000)


def check(got, expected, what):
    if got != expected:
        seen["wrong"] = seen["wrong"] or "%s: %r instead of %r" % (what, got, expected)
    seen["rounds"] += 1


def busy():
    floats = 0.1
    while not over.is_set():
        check(work(2000), EXPECTED, "work")
        floats = floats * 1.0000001 % 1.0
        check("".join(sorted("holm")), "hlmo", "text")


def idle():
    while not over.is_set():
        ready = select.select([reading], [], [], 3000)[0]
        check(bool(ready), True, "select")


def asleep():
    """In a system call of the library, which gives the interpreter's lock away, as most libraries do."""
    library = ctypes.CDLL(None)
    while not over.is_set():
        check(library.usleep(300000), 0, "usleep")


def python_sleep():
    while not over.is_set():
        began = time.monotonic()
        time.sleep(0.4)
        check(time.monotonic() - began >= 0.4, True, "sleep")


def forking():
    while not over.is_set():
        pid = os.fork()
        if pid == 0:
            os._exit(7 if work(200) == work(200) else 8)
        check(os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]) if hasattr(os, "waitstatus_to_exitcode")
              else os.WEXITSTATUS(os.waitpid(pid, 0)[1]), 7, "child")


def threaded():
    """The main thread waits for others, which have the interpreter's lock nearly always."""
    others = [threading.Thread(target=busy) for _ in range(3)]
    for other in others:
        other.start()
    lock = threading.Lock()
    while not over.is_set():
        with lock:
            check(work(200), work(200), "main")
    for other in others:
        other.join()


def waiting():
    """The main thread waits for a lock, without end."""
    other = threading.Thread(target=busy)
    other.start()
    other.join()


def held():
    """Another thread has the interpreter's lock most of the time, in code that is not the interpreter's."""
    library = ctypes.PyDLL(None)

    def hold():
        while not over.is_set():
            library.usleep(60000)
            time.sleep(0.001)

    other = threading.Thread(target=hold)
    other.start()
    while not over.is_set():
        check(work(20), work(20), "main")
    other.join()


def signalled():
    caught = []
    signal.signal(signal.SIGALRM, lambda number, frame: caught.append(number))
    signal.setitimer(signal.ITIMER_REAL, 0.002, 0.002)
    while not over.is_set():
        check(work(500), work(500), "work")
    signal.setitimer(signal.ITIMER_REAL, 0)
    check(len(caught) > 0, True, "alarms")


reading, writing = os.pipe()


def end():
    sys.stdin.read()
    over.set()
    os.write(writing, b"x")


if state == "short":
    # Ends at once, or in a moment: whoever comes meets it at its beginning or its end.
    time.sleep(float(sys.argv[2]))
    print("right 1")
    sys.exit()
watcher = threading.Thread(target=end, daemon=True)
watcher.start()
print("up", flush=True)
globals()[state]()
print("wrong " + seen["wrong"] if seen["wrong"] else "right %d" % seen["rounds"])
