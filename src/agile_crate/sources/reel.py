"""What a file holds once it is read: one picture, or a sequence of them."""

from __future__ import annotations

from fractions import Fraction
from typing import NamedTuple

from ..core.model.crate import Loop
from ..core.pixels import Pixels

LARGEST_FRAME = 8192 * 8192
"""Pixels. A frame whose header claims more is refused before it is decoded (256 MB as RGBA)."""

LARGEST_SHEET = 16_384 * 16_384
"""Pixels. The same for a sheet that is read back."""


class Reel(NamedTuple):
    """The pictures of a file that holds a sequence, with milliseconds for each (None where the file says none), how it
    says that it repeats (None if it does not), how many times it is shown if that is a number above 1, and the
    pictures' names where they have any (layers do)."""

    pictures: tuple[Pixels, ...]
    milliseconds: tuple[Fraction | None, ...]
    loop: Loop | None = None
    times: int = 0
    names: tuple[str, ...] = ()


class Source(NamedTuple):
    """A decoded file, and whether its colours were other than sRGB."""

    picture: Pixels | Reel
    is_foreign: bool
