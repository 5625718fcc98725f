"""A lock between programs, held by an open file; it ends with its process."""

from __future__ import annotations

import contextlib
import errno
import os
from collections.abc import Callable
from pathlib import Path
from threading import Event
from typing import BinaryIO

from ..interrupts import held
from ..platform import IS_WINDOWS, NO_LINK, NO_WAITING, is_locked

POLL_S = 0.05
"""Seconds between two tries."""

NOTICE_POLLS = 20
"""Tries before the waiting build reports that it waits."""

MOST_POLLS = 12_000
"""Tries, after which the one who waits gives up: ten minutes."""


class Lock:
    """The lock of a folder. The folder is made for the lock, and removed with it if empty."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._path = folder, folder / "lock"
        self._stream: BinaryIO | None = None

    def take(self, waiting: Callable[[], None], wait: bool = True) -> bool:
        """Take the lock once it is free, waiting at most `MOST_POLLS`; without `wait`, only if it is free now. Return
        True if it was taken. `waiting` is called once, after a second. Raises OSError."""
        tries, pause = 0, Event()
        while True:
            with held():
                is_taken = self._try()
            if is_taken or not wait or tries >= MOST_POLLS:
                return is_taken
            tries += 1
            if tries == NOTICE_POLLS:
                waiting()
            pause.wait(POLL_S)

    def _try(self) -> bool:
        while True:
            self._folder.mkdir(parents=True, exist_ok=True)
            if self._folder.is_symlink():
                raise NotADirectoryError(errno.ENOTDIR, "is a link, not a folder of ours")
            with contextlib.suppress(FileNotFoundError):  # who held it last has just taken it away: once more
                stream = open(self._path, "ab", opener=_no_link)  # noqa: SIM115 (held for as long as the lock)
                try:
                    if not is_locked(stream):
                        return False
                    if os.path.samestat(os.fstat(stream.fileno()), os.lstat(self._path)):
                        self._stream = stream
                        return True
                finally:
                    if self._stream is not stream:
                        stream.close()

    def release(self) -> None:
        """Let the next run have the lock."""
        if self._stream is not None:
            with contextlib.suppress(OSError):  # Windows removes no open file
                self._path.unlink()
            self._stream.close()
            self._stream = None
            with contextlib.suppress(OSError):
                if IS_WINDOWS:
                    self._path.unlink()
        with contextlib.suppress(OSError):
            self._folder.rmdir()


def _no_link(path: str, flags: int) -> int:
    return os.open(path, flags | NO_LINK | NO_WAITING, 0o666)
