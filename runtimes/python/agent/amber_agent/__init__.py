"""The part of Amber Lantern that lives inside a Python process.

A program that cannot be started through ``amber run`` makes itself attachable with one line::

    import sys; sys.path.append("/path/to/runtimes/python/agent"); import amber_agent; amber_agent.ready()

Importing this package loads nothing else; ``ready`` loads the dormant part only.
"""

import sys

# Before anything that an older one could not read: the program that asks for us goes on without.
if sys.version_info < (3, 8):
    raise ImportError("it is %d.%d, and 3.8 or later is needed" % sys.version_info[:2])

VERSION = "0.1.0"


def ready():
    """Make this process attachable. Calling it twice, or under ``amber run``, changes nothing."""
    from . import dormant

    dormant.ready()
