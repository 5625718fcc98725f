"""A lock between programs: it is held by an open file, and dies with the process that holds it."""

from __future__ import annotations

import contextlib
import os
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from threading import Event
from typing import BinaryIO

EACH = 0.05
"""Seconds between two tries."""

SAID_AFTER = 20
"""Tries, after which the one who waits is told."""

if sys.platform == "win32":
    import msvcrt

    def _is_locked(stream: BinaryIO) -> bool:
        try:
            msvcrt.locking(stream.fileno(), msvcrt.LK_NBLCK, 1)
        except OSError:
            return False
        return True

else:
    import fcntl

    def _is_locked(stream: BinaryIO) -> bool:
        try:
            fcntl.flock(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return False
        except OSError:  # a file system that knows no locks: then there are none
            return True
        return True


@contextlib.contextmanager
def locked(folder: Path, waiting: Callable[[], None], wait: bool = True) -> Iterator[bool]:
    """Holds the lock of a folder, which is made for it; gives False at once, or never with `wait`, where another holds
    it. `waiting` is called once, after a second. The folder goes with the lock, if it is empty by then. Raises OSError.
    """
    stream = _taken(folder, waiting, wait)
    try:
        yield stream is not None
    finally:
        if stream is not None:
            _released(folder, stream)


def _taken(folder: Path, waiting: Callable[[], None], wait: bool) -> BinaryIO | None:
    path, tries, pause = folder / "lock", 0, Event()
    while True:
        folder.mkdir(parents=True, exist_ok=True)
        if folder.is_symlink():
            raise NotADirectoryError(20, "is a link, not a folder of ours")
        try:
            stream = open(path, "ab", opener=_no_link)  # noqa: SIM115 (it is held for as long as the lock)
        except FileNotFoundError:  # who held it last has just taken the folder away
            continue
        try:
            while not _is_locked(stream):
                if not wait:
                    stream.close()
                    return None
                tries += 1
                if tries == SAID_AFTER:
                    waiting()
                pause.wait(EACH)
            if os.path.samestat(os.fstat(stream.fileno()), os.lstat(path)):
                return stream
        except FileNotFoundError:
            pass
        except BaseException:
            stream.close()
            raise
        stream.close()


def _no_link(path: str, flags: int) -> int:
    return os.open(path, flags | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0), 0o666)


def _released(folder: Path, stream: BinaryIO) -> None:
    path = folder / "lock"
    try:
        path.unlink(missing_ok=True)
    except OSError:  # Windows removes no open file
        stream.close()
        with contextlib.suppress(OSError):
            path.unlink(missing_ok=True)
    stream.close()
    with contextlib.suppress(OSError):
        folder.rmdir()
