"""Traces the main thread of a process for amber: the few calls of ptrace(2) that only an interpreter can make for it.

Reads commands from standard input, a line each, and answers each with a line (docs/unprepared.md). Which registers
to change, and to what, is amber's business; this process has to put everything back, whatever becomes of amber.
"""

import ctypes
import errno
import os
import signal
import sys
import time

SEIZE, INTERRUPT = 0x4206, 0x4207
CONT, SINGLESTEP, DETACH = 7, 9, 17
GETREGSET, SETREGSET = 0x4204, 0x4205
GETSIGMASK, SETSIGMASK = 0x420A, 0x420B
GENERAL = 1
WALL = 0x40000000
EVENT_STOP = 128
MOST_REGISTERS = 65536
# Seconds that the last try to stop it may take.
MARGIN = 0.5


class Vector(ctypes.Structure):
    _fields_ = [("base", ctypes.c_void_p), ("length", ctypes.c_size_t)]


_libc = ctypes.CDLL(None, use_errno=True)
_libc.ptrace.argtypes = [ctypes.c_long, ctypes.c_long, ctypes.c_void_p, ctypes.c_void_p]
_libc.ptrace.restype = ctypes.c_long


def ptrace(request, pid, address=0, data=0):
    """Raises OSError."""
    if _libc.ptrace(request, pid, address, data) == -1:
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number))


def registers(pid, note):
    buffer = ctypes.create_string_buffer(MOST_REGISTERS)
    vector = Vector(ctypes.addressof(buffer), MOST_REGISTERS)
    ptrace(GETREGSET, pid, note, ctypes.addressof(vector))
    return buffer.raw[: vector.length]


def set_registers(pid, note, raw):
    buffer = ctypes.create_string_buffer(raw, len(raw))
    vector = Vector(ctypes.addressof(buffer), len(raw))
    ptrace(SETREGSET, pid, note, ctypes.addressof(vector))


def mask_of(pid):
    mask = ctypes.c_uint64()
    ptrace(GETSIGMASK, pid, 8, ctypes.addressof(mask))
    return mask.value


def set_mask(pid, value):
    mask = ctypes.c_uint64(value)
    ptrace(SETSIGMASK, pid, 8, ctypes.addressof(mask))


def in_system_call(pid):
    try:
        with open("/proc/%d/task/%d/syscall" % (pid, pid), "rb") as file:
            return file.read(1).isdigit()
    except OSError:
        return False


class Ended(Exception):
    """The process has ended."""


def stop_of(pid, flags=0):
    """(signal, event) of the next stop, or None where `flags` has WNOHANG and there is none. Raises Ended."""
    try:
        found, status = os.waitpid(pid, WALL | flags)
    except ChildProcessError:
        raise Ended()
    if found == 0:
        return None
    if not os.WIFSTOPPED(status):
        raise Ended()
    return os.WSTOPSIG(status), status >> 16


class Traced:
    """One process; it is stopped between `stop` and `go`."""

    def __init__(self, pid, extended):
        self.pid = pid
        self._extended = extended
        self.stopped = False

    def stop(self, patience, counter=0, start=0, end=0):
        """Stop it. Answers its registers and its signal mask, or that it did not stop in time.

        Where `end` is given: where its program counter, the word at `counter` of its registers, is between `start` and
        `end`, or where it is in a system call. Else, or when the time is up, wherever it is.
        """
        ptrace(SEIZE, self.pid)
        deadline = time.monotonic() + patience
        while True:
            if not self._interrupt(deadline):
                # Untraced again when this process ends; what does not stop cannot be let go of.
                return "late"
            found = registers(self.pid, GENERAL)
            at = int.from_bytes(found[counter : counter + 8], "little")
            if not end or start <= at < end or in_system_call(self.pid) or time.monotonic() > deadline:
                break
            ptrace(CONT, self.pid)
        self.stopped = True
        return "stopped %s %x" % (found.hex(), mask_of(self.pid))

    def _interrupt(self, deadline):
        """Whether it has stopped in time; signals that come meanwhile are passed on."""
        ptrace(INTERRUPT, self.pid)
        while True:
            stop = stop_of(self.pid, os.WNOHANG)
            if stop is not None and stop[1] == EVENT_STOP:
                return True
            if stop is not None:
                ptrace(CONT, self.pid, 0, stop[0])
            elif time.monotonic() > deadline + MARGIN:
                return False
            else:
                time.sleep(0.00002)

    def run(self, how, mask, all_registers):
        """Run it with other registers, for one step or until it faults, one set of them after the other.

        What belongs together comes in one command: amber may be gone before the next. Everything is put back before
        the answer, which has the registers of the last.
        """
        before = registers(self.pid, GENERAL), registers(self.pid, self._extended), mask_of(self.pid)
        request, wanted = (SINGLESTEP, signal.SIGTRAP) if how == "step" else (CONT, signal.SIGSEGV)
        set_mask(self.pid, mask)
        for raw in all_registers:
            set_registers(self.pid, GENERAL, raw)
            number, event = 0, EVENT_STOP
            while event == EVENT_STOP:
                ptrace(request, self.pid)
                number, event = stop_of(self.pid)
        after = registers(self.pid, GENERAL)
        set_registers(self.pid, self._extended, before[1])
        set_registers(self.pid, GENERAL, before[0])
        set_mask(self.pid, before[2])
        return "%s %s" % ("ran" if number == wanted else "fault", after.hex())

    def go(self):
        if self.stopped:
            self.stopped = False
            ptrace(DETACH, self.pid)
        return "gone"


def answer(traced, words):
    try:
        if words[0] == "stop":
            return traced.stop(float(words[1]), *map(int, words[2:]))
        if words[0] in ("step", "call"):
            return traced.run(words[0], int(words[1], 16), [bytes.fromhex(word) for word in words[2:]])
        return traced.go()
    except Ended:
        traced.stopped = False
        return "ended"
    except OSError as error:
        return "error %s" % errno.errorcode.get(error.errno, error.errno)


def main():
    traced = Traced(int(sys.argv[1]), int(sys.argv[2], 16))
    try:
        for line in sys.stdin:
            sys.stdout.write(answer(traced, line.split()) + "\n")
            sys.stdout.flush()
    except (BrokenPipeError, KeyboardInterrupt):
        pass
    try:
        traced.go()
    except OSError:
        pass
    # Standard output may be closed on the other side, and the interpreter would say so.
    os._exit(0)


main()
