"""Runs a command in a pseudo-terminal of 100x30: its output to our stdout, our stdin to it.

    python3 terminal.py COMMAND …
"""

import fcntl
import os
import pty
import select
import struct
import sys
import termios

child, terminal = pty.fork()
if child == 0:
    os.execvp(sys.argv[1], sys.argv[1:])
fcntl.ioctl(terminal, termios.TIOCSWINSZ, struct.pack("HHHH", 30, 100, 0, 0))
sources = [terminal, 0]
while True:
    ready, _, _ = select.select(sources, [], [])
    if 0 in ready:
        typed = os.read(0, 4096)
        if typed:
            os.write(terminal, typed)
        else:
            sources.remove(0)
    if terminal in ready:
        try:
            printed = os.read(terminal, 65536)
        except OSError:
            break
        if not printed:
            break
        os.write(1, printed)
_, status = os.waitpid(child, 0)
sys.exit(os.WEXITSTATUS(status) if os.WIFEXITED(status) else 128 + os.WTERMSIG(status))
