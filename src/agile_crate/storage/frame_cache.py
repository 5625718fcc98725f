"""Decoded frames in the build cache, by the digests of their file and of the way in which they were decoded.

A value is a line of JSON and the pixels after it. A value that does not fit together counts as missing.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from fractions import Fraction
from typing import NamedTuple, get_args

import numpy as np
import PIL

from ..core.frame.decode import DecodedFrame
from ..core.model.crate import Loop
from ..core.model.geometry import Offset, Size
from ..core.model.picture import Picture
from ..core.pixels import Pixels
from .cache import Cache

LARGEST_FILE_BYTES = 1 << 28
"""Bytes. Larger files are not cached."""

Frames = tuple[tuple[str, DecodedFrame, Fraction | None], ...]
"""A file's frames: label, decoded frame and time of each. The label of a still is empty."""


class CachedFile(NamedTuple):
    """The frames of one file, its loop, a flag about its colors, and the number of skipped layers."""

    frames: Frames
    loop: Loop | None
    times: int
    is_foreign: bool
    hidden: int

    @property
    def nbytes(self) -> int:
        """The memory that its frames take."""
        return sum(frame.nbytes for _, frame, _ in self.frames)


class FrameCache(NamedTuple):
    """The frames in the build cache that were decoded in one way: `way` is the digest of all that a frame depends on
    besides its file."""

    cache: Cache
    way: bytes

    def find(self, sha256: str) -> CachedFile | None:
        """Return the frames of the file with this digest, None if they are not cached, or damaged."""
        key = self._key(sha256)
        if isinstance(known := self.cache.remembered(key), CachedFile):
            return known
        value = self.cache.get(key)
        found = None if value is None else _read(value)
        if found:
            self.cache.remember(key, found, found.nbytes)
        return found

    def store(self, sha256: str, file: CachedFile) -> None:
        """Cache the frames of the file with this digest, unless they are very large."""
        if file.nbytes <= LARGEST_FILE_BYTES:
            self.cache.remember(self._key(sha256), file, file.nbytes)
            self.cache.put(self._key(sha256), _written(file))

    def _key(self, sha256: str) -> bytes:
        return b"frame:" + self.way + bytes.fromhex(sha256)


def frame_cache(cache: Cache, program: str, *ways: object) -> FrameCache:
    """Return the cached frames for one way of decoding: `ways` are the values that it depends on, and `program` is this
    one with its version."""
    parts = "\0".join(map(repr, (program, PIL.__version__, np.__version__, *ways)))
    return FrameCache(cache, hashlib.blake2b(parts.encode(), digest_size=16).digest())


def _read(value: bytes) -> CachedFile | None:
    try:
        head, _, _ = value.partition(b"\n")
        fields = json.loads(head)
        pixels = np.frombuffer(value, np.uint8, offset=len(head) + 1)
        frames = []
        at = 0
        for label, time, pictures in fields["frames"]:
            seen = []
            for height, width, *about in pictures:
                end = at + height * width * 4
                seen.append(_picture(pixels[at:end].reshape(height, width, 4), *about))
                at = end
            frames.append((label, DecodedFrame(tuple(seen)), time and Fraction(*time)))
        if at != len(pixels) or fields["loop"] not in (None, *get_args(Loop)):
            return None
        times, is_foreign, hidden = int(fields["times"]), bool(fields["is_foreign"]), int(fields["hidden"])
        return CachedFile(tuple(frames), fields["loop"], times, is_foreign, hidden)
    except (ValueError, TypeError, LookupError, ArithmeticError):
        return None


def _picture(
    pixels: Pixels, canvas: Sequence[int], offset: Sequence[int], keyed: int, cut: int, colors: int
) -> Picture:
    return Picture("", pixels, Size(*canvas), Offset(*offset), keyed, cut, colors)


def _written(file: CachedFile) -> bytes:
    frames = [
        (
            label,
            time and time.as_integer_ratio(),
            [(*p.pixels.shape[:2], p.canvas, p.offset, p.keyed, p.cut, p.smoothed_colors) for p in frame.pictures],
        )
        for label, frame, time in file.frames
    ]
    head = json.dumps({"frames": frames, **{key: value for key, value in file._asdict().items() if key != "frames"}})
    pixels = (np.ascontiguousarray(picture.pixels).data for _, frame, _ in file.frames for picture in frame.pictures)
    return b"".join((head.encode(), b"\n", *pixels))


def named(frame: DecodedFrame, name: str) -> DecodedFrame:
    """Return the decoded frame under another name."""
    return DecodedFrame(tuple(picture._replace(name=name) for picture in frame.pictures))
