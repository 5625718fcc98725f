"""Platform-specific calls, each with a portable fallback."""

from __future__ import annotations

import contextlib
import mmap
import os
import signal
import sys
from collections.abc import Iterator
from typing import BinaryIO

IS_WINDOWS = sys.platform == "win32"

FORKS = sys.platform == "linux"
"""True if processes can be forked while threads run; other platforms start them anew."""

NO_WAITING = getattr(os, "O_NONBLOCK", 0)
"""For opening: a pipe without a writer does not hold us up."""

NO_LINK = getattr(os, "O_NOFOLLOW", 0)
"""For opening: no link is followed."""

AS_BYTES = getattr(os, "O_BINARY", 0)
"""For opening: line ends stay as they are."""

GROUP_LIMITS = ("/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes")
"""Linux's files of a container's limits."""

if sys.platform == "win32":
    import msvcrt

    def is_locked(stream: BinaryIO) -> bool:
        """Take the lock of an open file, which ends with this process. Return True if nobody else held it."""
        try:
            msvcrt.locking(stream.fileno(), msvcrt.LK_NBLCK, 1)
        except OSError:
            return False
        return True

else:
    import fcntl

    def is_locked(stream: BinaryIO) -> bool:
        """Take the lock of an open file, which ends with this process. Return True if nobody else held it."""
        try:
            fcntl.flock(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return False
        except OSError:  # a file system without locks
            return True
        return True


@contextlib.contextmanager
def signals_wait() -> Iterator[None]:
    """Hold signals back, where the system can. A process that is forked meanwhile starts with signals held, because its
    handlers are still its parent's."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, signal.valid_signals())
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


def let_signals_come() -> None:
    """Deliver all signals, and those that waited since this process was forked."""
    if hasattr(signal, "pthread_sigmask"):
        signal.pthread_sigmask(signal.SIG_SETMASK, ())


def bound_memory(size: int) -> None:
    """Bound this process's address space. Where the system cannot, only the time is bounded, by the parent process."""
    with contextlib.suppress(ImportError, ValueError, OSError):
        import resource

        resource.setrlimit(resource.RLIMIT_AS, (size, size))


def close_doors() -> None:
    """Forbid this process to open files or connections and to start processes. Python's audit hooks (PEP 578) enforce
    it, and on POSIX the system's limits do too."""
    with contextlib.suppress(ImportError, ValueError, OSError):
        import resource

        resource.setrlimit(resource.RLIMIT_NOFILE, (0, 0))

    def refused(event: str, _: object) -> None:
        if event == "open" or event.partition(".")[0] in ("socket", "subprocess", "os", "shutil", "ctypes"):
            raise PermissionError(f"{event} is not allowed here")

    sys.addaudithook(refused)


def processors() -> int:
    """Return how many processors this process may use."""
    if hasattr(os, "sched_getaffinity"):  # Linux: also respects containers and taskset
        return len(os.sched_getaffinity(0))
    return os.cpu_count() or 1


def machine_memory() -> int:
    """Bytes. Where the system does not tell, 4 GB."""
    try:
        whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    except (AttributeError, ValueError, OSError):
        whole = 4 << 30
    for path in GROUP_LIMITS:
        try:
            with open(path, encoding="ascii") as file:
                whole = min(whole, int(file.read()))
        except (OSError, ValueError):
            continue
    return whole


def release_pages(segment: mmap.mmap) -> None:
    """Give the memory of a mapped file back, where the system can; pages are read again from the file when needed."""
    if hasattr(mmap, "MADV_DONTNEED") and FORKS:  # elsewhere the word means another thing
        segment.madvise(mmap.MADV_DONTNEED)
