"""Loaded by every Python that `amber run` starts: makes the process attachable, then gets out of the way.

This file shadows any other ``sitecustomize`` on the path, so it runs that one afterwards, as if
this folder had never been there.
"""


def _chain(folder):
    """Run the sitecustomize that would have been found without us."""
    import os
    import sys

    # An entry may be spelled differently from ours (a trailing slash, a symbolic link).
    kept = list(sys.path)
    ours = os.path.realpath(folder)
    sys.path[:] = [entry for entry in kept if os.path.realpath(entry or os.curdir) != ours]
    mine = sys.modules.pop("sitecustomize", None)
    try:
        import sitecustomize  # noqa: F401
    except ImportError as error:
        if mine is not None:
            sys.modules["sitecustomize"] = mine
        if getattr(error, "name", None) != "sitecustomize":
            raise


def _start(folder):
    import os
    import sys

    parent = os.path.dirname(folder)
    sys.path.insert(0, parent)
    try:
        from amber_agent import dormant
    finally:
        sys.path.remove(parent)
    dormant.ready()


def _main():
    import os

    folder = os.path.dirname(os.path.abspath(__file__))
    try:
        _start(folder)
    except Exception as error:  # the user's program comes first: it starts without us
        import sys

        sys.stderr.write("amber: this Python cannot be attached to: %s\n" % (error,))
    _chain(folder)


_main()
