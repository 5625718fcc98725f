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
        """Takes the lock of an open file, which dies with this process; whether nobody else holds it."""
        try:
            msvcrt.locking(stream.fileno(), msvcrt.LK_NBLCK, 1)
        except OSError:
            return False
        return True

else:
    import fcntl

    def is_locked(stream: BinaryIO) -> bool:
        """Takes the lock of an open file, which dies with this process; whether nobody else holds it."""
        try:
            fcntl.flock(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return False
        except OSError:  # a file system without locks
            return True
        return True


@contextlib.contextmanager
def signals_wait() -> Iterator[None]:
    """Within it signals wait, where they can. A process that is forked here begins so: what it would answer them is not
    its own yet."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, signal.valid_signals())
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


def let_signals_come() -> None:
    """All of them, and those that waited since this process was forked."""
    if hasattr(signal, "pthread_sigmask"):
        signal.pthread_sigmask(signal.SIG_SETMASK, ())


def bound_memory(size: int) -> None:
    """Bytes of address space that this process may have from now on. Where that cannot be bounded, the time alone is,
    by whoever started it."""
    with contextlib.suppress(ImportError, ValueError, OSError):
        import resource

        resource.setrlimit(resource.RLIMIT_AS, (size, size))


def close_doors() -> None:
    """From now on this process opens no file and no connection, and starts no other: what it has read is all it gets.
    Python sees to that (its audit, PEP 578), and on POSIX the system as well."""
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
    """Gives the memory of a mapped file back, where the system can; pages come back from the file when they are looked
    at again."""
    if hasattr(mmap, "MADV_DONTNEED") and FORKS:  # elsewhere the word means another thing
        segment.madvise(mmap.MADV_DONTNEED)
