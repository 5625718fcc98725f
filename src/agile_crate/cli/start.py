"""The console script: it handles signals before it loads slow modules."""

from .signals import INTERRUPTED, be_ready, ignore

GARBAGE_THRESHOLD = 100_000
"""New objects between two looks for garbage. With tens of thousands of frames, the usual 700 take a tenth of the time;
hardly anything here lies in circles."""


def run() -> None:
    """Run the program. By its end all is written, so it leaves without taking every library down in order: that costs
    about a twentieth of a small build (docs/dev/speed.md).
    """
    be_ready()
    import atexit
    import gc
    import os
    import sys

    statuses: list[int] = []
    # The first that is registered is called last, when all else that wants to end in order has done so.
    atexit.register(_leave, statuses)
    gc.set_threshold(GARBAGE_THRESHOLD)
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
    statuses.append(status)
    if status == INTERRUPTED:  # the interpreter's own end would wait for pictures that are half decoded
        _leave(statuses)
    sys.exit(status)


def _leave(statuses: list[int]) -> None:
    import os
    import sys

    if statuses:
        sys.stderr.flush()
        os._exit(statuses[0])
