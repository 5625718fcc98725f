"""Reading untrusted files: only regular ones, within a limit, and without waiting for another process."""

from __future__ import annotations

import errno
import os
import stat
from io import FileIO
from pathlib import Path

from ..core.limits import Limits, raise_hint
from ..core.message import message
from ..core.text import bytes_shown
from ..platform import AS_BYTES, NO_WAITING


def read_regular(path: str | Path, limits: Limits, limit: str) -> bytes:
    """Return a file's bytes.

    Raises OSError for any but a regular file (a pipe or a device may never end), and for a file larger than the
    limit of this name.
    """
    most: int = getattr(limits, limit)
    with _opened(path) as stream:
        parts: list[bytes] = []
        length = os.fstat(stream.fileno()).st_size
        while length <= most:
            parts.append(stream.read(1 + (length if not parts else 1 << 16)))  # all of it at once, unless it grows
            if not parts[-1] or (len(parts) == 1 and len(parts[0]) == length):
                return b"".join(parts) if len(parts) > 1 else parts[0]
            length = sum(map(len, parts))
        raise OSError(errno.EFBIG, message("it is larger than {}; {}", bytes_shown(most), raise_hint(limit)))


def read_head(path: str | Path, count: int) -> bytes:
    """Return the first bytes of a file. Raises OSError for any but a regular file."""
    with _opened(path) as stream:
        return stream.read(count)


def read_end(path: str | os.PathLike[str], count: int) -> bytes:
    """The last bytes of a file. Raises OSError for any but a regular file."""
    with _opened(path) as stream:
        stream.seek(max(0, os.fstat(stream.fileno()).st_size - count))
        return stream.read(count)


def _opened(path: str | os.PathLike[str]) -> FileIO:
    refuse_null(path)
    _refuse_others(os.stat(path))  # opening a device may already do something
    stream = FileIO(os.open(path, os.O_RDONLY | NO_WAITING | AS_BYTES))
    try:
        _refuse_others(os.fstat(stream.fileno()))
    except OSError:
        stream.close()
        raise
    return stream


def refuse_null(path: str | os.PathLike[str]) -> None:
    """Raise OSError for a path with a null character, for which Python would raise ValueError."""
    if "\0" in os.fspath(path):
        raise OSError(errno.EINVAL, "no name has a null character")


def _refuse_others(status: os.stat_result) -> None:
    if stat.S_ISDIR(status.st_mode):
        raise IsADirectoryError(errno.EISDIR, "it is a folder")
    if not stat.S_ISREG(status.st_mode):
        raise OSError(errno.EINVAL, "it is not a regular file")
