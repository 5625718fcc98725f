"""The crate as the metadata describes it, in frozen values. Words are those of docs/words.md."""

from __future__ import annotations

import copyreg
from collections.abc import Mapping
from fractions import Fraction
from types import MappingProxyType
from typing import Any, Literal, NamedTuple, TypeAlias

from .geometry import Box, Mirror, Offset, Point, Shape, Size
from .sheet import Sheet

FORMAT = "agile-crate"
VERSION = 1

LARGEST_NUMBER = 1 << 31
"""Every number of the metadata lies below it, and above its negative."""


def _view(held: dict[Any, Any]) -> MappingProxyType[Any, Any]:
    return MappingProxyType(held)


copyreg.pickle(MappingProxyType, lambda view: (_view, (dict(view),)))  # so that crates can be sent to other processes

Loop: TypeAlias = Literal["forever", "once", "back-and-forth"]


class Frame(NamedTuple):
    """One frame as the metadata describes it: where it lies, and how it goes back on its canvas.

    `box` is as stored; with `turned` the stored pixels are rotated by 90° clockwise, so the upright size is (h, w).
    `canvas`, `offset`, `pivot` and `box` are in pixels of this crate. `crc` is of its pixels as the source gave them
    (`core.crate.edits`), empty where it is not known; `edited`: somebody painted on it since.
    """

    name: str
    on_sheet: int
    box: Box
    canvas: Size
    offset: Offset
    pivot: Point
    turned: bool = False
    mirror: Mirror = ""
    shape: Shape | None = None
    crc: str = ""
    edited: bool = False

    @property
    def upright(self) -> Size:
        """The size of the stored pixels once they are turned back."""
        return Size(self.box.h, self.box.w) if self.turned else self.box.size


class Animation(NamedTuple):
    """A named list of frames (indices into the crate's frames), whole milliseconds for each, and a loop rule.

    `times` is how many times an animation is shown that ends ("once") after more than one showing; 0 otherwise. Where
    every frame lasts a whole number of steps of one rate, `fps` is that rate and `beats` are those numbers: the exact
    times, of which `durations` are the rounded ones.
    """

    name: str
    frames: tuple[int, ...]
    durations: tuple[int, ...]
    loop: Loop = "forever"
    times: int = 0
    fps: Fraction | None = None
    beats: tuple[int, ...] = ()


class Crate(NamedTuple):
    """One build's result: its sheets and all that is known of its frames.

    `settings` are those by which frames were taken and changed, as they were given: a proof repeats them.
    `background` is the color (#rrggbb) that the sheets were flattened on, empty if they have alpha. `files` are the
    names of the build's text files, if it has several; `file_sha256` are the digests of those of this crate
    that are not metadata. `built_from` is the digest of what the crate was built from (`core.crate.origin`), empty
    where it was not recorded. `adopted`: the sheets were made elsewhere, and may show more than the frames.
    """

    name: str
    sheets: tuple[Sheet, ...]
    frames: tuple[Frame, ...]
    animations: tuple[Animation, ...]
    scale: float = 1
    alpha: Literal["straight", "premultiplied"] = "straight"
    generator: str = ""
    settings: Mapping[str, object] = MappingProxyType({})
    background: str = ""
    files: tuple[str, ...] = ()
    file_sha256: Mapping[str, str] = MappingProxyType({})
    built_from: str = ""
    adopted: bool = False
