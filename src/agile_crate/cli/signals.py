"""The signals that end the program: Ctrl-C, the system's wish, a closed terminal, and a closed console on Windows."""

from __future__ import annotations

import os
import signal
from types import FrameType

from ..interrupts import arrived, is_idle

SIGNALS = [getattr(signal, name) for name in ("SIGINT", "SIGTERM", "SIGHUP", "SIGBREAK") if hasattr(signal, name)]

INTERRUPTED = 130


def obey() -> None:
    """From now on a signal ends the program in its own way; one that the shell has told us to ignore still does not."""
    for number in SIGNALS:
        if signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, _interrupted)


def ignore() -> None:
    """From now on no signal counts: the end is near."""
    for number in SIGNALS:
        signal.signal(number, signal.SIG_IGN)


def _interrupted(_: int, __: FrameType | None) -> None:
    if is_idle():  # nothing has been written: there is nothing to take back, and nothing to wait for
        shown_again = b"\x1b[?25h" if os.isatty(2) else b""  # the cursor, which a progress bar hides
        os.write(2, shown_again + b"agile-crate: error: interrupted; no file was left half-written\n")
        os._exit(INTERRUPTED)
    arrived()
