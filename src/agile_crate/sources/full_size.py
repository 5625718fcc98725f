"""Frames that are read again at full size, one at a time, to examine suspicious ones."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache, partial
from typing import NamedTuple

from ..core.errors import InputError
from ..core.message import a_file
from ..core.model.geometry import Size
from ..core.pixels import Pixels
from ..core.png_chunks import PictureError
from ..format.regular import read_regular
from .decoded import DecodedSequence
from .read_options import ReadOptions

CACHED_FILES = 4
"""Files of which the last frames are kept: a frame is mostly looked at with its neighbors."""


class FrameSource(NamedTuple):
    """A frame's source: its file, and the index of the picture in it."""

    path: str
    number: int = 0


def read_again(places: Mapping[str, FrameSource], options: ReadOptions) -> Callable[[str, Size], Pixels]:
    """Return what reads the frame of a name again, shape (h, w, 4), straight alpha. `places` may grow meanwhile. It
    raises InputError if the file holds another picture by now."""
    read = lru_cache(CACHED_FILES)(partial(_read, options=options))

    def again(name: str, canvas: Size) -> Pixels:
        path, number = places[name]
        pictures = read(path)
        if number >= len(pictures) or pictures[number].shape[:2] != (canvas.h, canvas.w):
            raise InputError("{} changed during the survey; run it again", a_file(path))
        return pictures[number]

    return again


def _read(path: str, options: ReadOptions) -> tuple[Pixels, ...]:
    from .read_source import read_picture

    try:
        picture = read_picture(read_regular(path, options.limits, "file_bytes"), options=options)
    except (OSError, PictureError):
        raise InputError("{} changed during the survey; run it again", a_file(path)) from None
    return tuple(picture.pictures) if isinstance(picture, DecodedSequence) else (picture,)
