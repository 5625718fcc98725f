"""Storage of pixels until they are drawn: in memory up to a limit, beyond it in a mapped file.

The file has no name, so it disappears however the program ends. Its pages count as this process's memory only while in
use.
"""

from __future__ import annotations

import mmap
import os
from typing import IO, TYPE_CHECKING

from ..core.errors import OutputError, reason
from ..core.text import shown
from ..platform import machine_memory, release_pages

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

SEGMENT_BYTES = 1 << 26
"""Bytes by which the file grows."""

ALIGNMENT_BYTES = 64

SHARE = 3
"""By default, one part of so many of the machine's memory is used."""


class PixelStore:
    """Room for about `limit` bytes in memory; the rest goes to a file in the system's folder for such files."""

    def __init__(self, limit: int) -> None:
        self.limit = limit
        self.in_file = 0
        self._held = 0
        self._file: IO[bytes] | None = None
        self._segments: list[mmap.mmap] = []
        self._free = 0

    def close(self) -> None:
        """Release the file. Arrays in it live as long as something refers to them."""
        if self._file is not None:
            self._file.close()

    def begin_anew(self) -> None:
        """Start over for other frames. The old file is freed with the last array that lies in it."""
        self.close()
        self._file, self._segments, self._free, self._held = None, [], 0, 0

    def next_step(self) -> None:
        """Start a step whose arrays replace those of the step before, which are freed one by one."""
        self._held = 0
        for segment in self._segments:
            release_pages(segment)

    def has_room(self, size: int) -> bool:
        """Reserve bytes of memory. Return False if not enough is left."""
        if self._held + size > self.limit // 2:  # next to the pixels of the step before
            return False
        self._held += size
        return True

    def moved(self, array: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Copy an array to the file; return it as a read-only view. Raises OutputError if the disk is full."""
        if not array.nbytes:
            return array
        import numpy as np

        size = -(-array.nbytes // ALIGNMENT_BYTES) * ALIGNMENT_BYTES
        if size > self._free:
            self._grow(max(SEGMENT_BYTES, -(-size // SEGMENT_BYTES) * SEGMENT_BYTES))
        segment = self._segments[-1]
        start = len(segment) - self._free
        copy = np.frombuffer(segment, np.uint8, array.nbytes, start).reshape(array.shape)
        copy[...] = array
        copy.flags.writeable = False
        self._free -= size
        self.in_file += size
        return copy

    def _grow(self, by: int) -> None:
        import tempfile

        if self._segments:
            release_pages(self._segments[-1])
        try:
            if self._file is None:
                self._file = tempfile.TemporaryFile(prefix="agile-crate-", buffering=0)  # noqa: SIM115 - gone with us
            start = os.fstat(self._file.fileno()).st_size
            if hasattr(os, "posix_fallocate"):  # else a full disk would be noticed too late
                os.posix_fallocate(self._file.fileno(), start, by)
            else:
                self._file.truncate(start + by)
            self._segments.append(mmap.mmap(self._file.fileno(), by, offset=start))
        except OSError as error:
            raise OutputError(
                "the frames take more than {memory} allows, and {} has no room for the rest: {}; free some "
                "there, name another folder in TMPDIR, or give more",
                shown(tempfile.gettempdir()),
                reason(error),
            ) from None
        self._free = by


def default_limit() -> int:
    """Return a third of the machine's memory, or of this process group's limit."""
    return machine_memory() // SHARE
