"""The signals that end the program: Ctrl-C, a termination request, a closed terminal, and a closed console on Windows.

The program loads this module first, and it imports almost nothing: a signal before it is ready would print a Python
traceback.
"""

import os
import signal
import sys

SIGNALS = [getattr(signal, name) for name in ("SIGINT", "SIGTERM", "SIGHUP", "SIGBREAK") if hasattr(signal, name)]

INTERRUPTED = 130


def leave(*_: object) -> None:
    """End the program before it has written anything: it has nothing to undo or to wait for."""
    shown_again = b"\x1b[?25h" if os.isatty(2) else b""  # the cursor, which a progress bar hides
    os.write(2, shown_again + b"agile-crate: error: interrupted; no file is incomplete\n")
    os._exit(INTERRUPTED)


def leave_or_tell(*_: object) -> None:
    """End the program, or inform the code that writes files."""
    interrupts = sys.modules.get("agile_crate.interrupts")
    if interrupts is None or not hasattr(interrupts, "committing") or interrupts.is_idle():  # the last one in it
        leave()
    else:
        interrupts.arrived()


def ignore() -> None:
    """Ignore all further signals: the program is about to end."""
    for number in SIGNALS:
        signal.signal(number, signal.SIG_IGN)


def be_ready() -> None:
    """Let signals end the program, except those that the shell ignores."""
    for number in SIGNALS:
        if signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, leave_or_tell)
