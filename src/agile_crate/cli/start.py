"""The console script: ready for signals before anything that takes time is loaded."""

from .signals import INTERRUPTED, be_ready, ignore

GARBAGE = 100_000
"""New objects between two looks for garbage. With tens of thousands of frames, the usual 700 take a tenth of the time;
hardly anything here lies in circles."""


def run() -> None:
    """By its end all is written, so it leaves without taking every library down in order: that costs about a twentieth
    of a small build (docs/speed.md), and after an interruption it would wait for pictures half decoded. What others
    asked to have done at the end (`atexit`) is done.
    """
    be_ready()
    import gc
    import os
    import sys

    gc.set_threshold(GARBAGE)
    from ..interrupts import AfterCommit
    from .main import COMMANDS, main

    if "_ARGCOMPLETE" in os.environ:
        from .completion import complete

        complete(COMMANDS)
    try:
        status = int(main(sys.argv[1:]))
    except KeyboardInterrupt as interruption:  # once more, on its way out
        status = 0 if isinstance(interruption, AfterCommit) else INTERRUPTED
    ignore()
    import atexit

    atexit._run_exitfuncs()
    sys.stderr.flush()
    os._exit(status)
