"""Frames as they were first seen, kept from build to build by the digests of their file and of what was done to them.

A value is a line of JSON and the pixels behind it. Whatever does not fit together is as if it had not been kept.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from fractions import Fraction
from typing import NamedTuple, get_args

import numpy as np
import PIL

from ..core.frame.decode import Seen
from ..core.model.crate import Loop
from ..core.model.geometry import Offset, Size
from ..core.model.picture import Picture
from ..core.pixels import Pixels
from .cache import Cache

LARGEST = 1 << 28
"""Bytes. What takes more is not kept."""

Frames = tuple[tuple[str, Seen, Fraction | None], ...]
"""What one file brings: of each frame a label, what was seen, and its time. The label of a still is empty."""


class Reel(NamedTuple):
    """All that is kept of one file."""

    frames: Frames
    loop: Loop | None
    times: int
    is_foreign: bool


class Keeping(NamedTuple):
    """Where frames are kept, and the digest of what they were made by."""

    cache: Cache
    ways: bytes


def keeping(cache: Cache, program: str, *ways: object) -> Keeping:
    """`ways` are all values on which a first look depends, beside the file; `program` is this one with its version."""
    told = "\0".join(map(repr, (program, PIL.__version__, np.__version__, *ways)))
    return Keeping(cache, hashlib.blake2b(told.encode(), digest_size=16).digest())


def recalled(kept: Keeping, sha256: str) -> Reel | None:
    """What is kept of the file with this digest."""
    key = _key(kept, sha256)
    if isinstance(known := kept.cache.remembered(key), Reel):
        return known
    value = kept.cache.get(key)
    reel = None if value is None else _reel_of(value)
    if reel:
        kept.cache.remember(key, reel, _size(reel))
    return reel


def _reel_of(value: bytes) -> Reel | None:
    try:
        head, _, _ = value.partition(b"\n")
        said = json.loads(head)
        pixels = np.frombuffer(value, np.uint8, offset=len(head) + 1)
        frames = []
        at = 0
        for label, time, pictures in said["frames"]:
            seen = []
            for height, width, *about in pictures:
                end = at + height * width * 4
                seen.append(_picture(pixels[at:end].reshape(height, width, 4), *about))
                at = end
            frames.append((label, Seen(tuple(seen)), time and Fraction(*time)))
        if at != len(pixels) or said["loop"] not in (None, *get_args(Loop)):
            return None
        return Reel(tuple(frames), said["loop"], int(said["times"]), bool(said["is_foreign"]))
    except (ValueError, TypeError, LookupError, ArithmeticError):
        return None


def _picture(pixels: Pixels, canvas: Sequence[int], offset: Sequence[int], keyed: int) -> Picture:
    return Picture("", pixels, Size(*canvas), Offset(*offset), keyed=keyed)


def keep(kept: Keeping, sha256: str, reel: Reel) -> None:
    """Keeps what was seen of the file with this digest."""
    if _size(reel) > LARGEST:
        return
    kept.cache.remember(_key(kept, sha256), reel, _size(reel))
    frames = [
        (
            label,
            time and time.as_integer_ratio(),
            [(*p.pixels.shape[:2], p.canvas, p.offset, p.keyed) for p in seen.pictures],
        )
        for label, seen, time in reel.frames
    ]
    head = json.dumps({"frames": frames, "loop": reel.loop, "times": reel.times, "is_foreign": reel.is_foreign})
    pixels = (np.ascontiguousarray(p.pixels).data for _, seen, _ in reel.frames for p in seen.pictures)
    kept.cache.put(_key(kept, sha256), b"".join((head.encode(), b"\n", *pixels)))


def _size(reel: Reel) -> int:
    return sum(seen.nbytes for _, seen, _ in reel.frames)


def named(seen: Seen, name: str) -> Seen:
    """The same under a frame's name."""
    return seen._replace(pictures=tuple(picture._replace(name=name) for picture in seen.pictures))


def _key(kept: Keeping, sha256: str) -> bytes:
    return b"frame:" + kept.ways + bytes.fromhex(sha256)
