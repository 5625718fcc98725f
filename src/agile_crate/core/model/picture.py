"""Frames in the pipeline: the drawings of a sequence, and their pictures."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING, Literal, NamedTuple

from .crate import Loop
from .geometry import ORIGIN, TOP_LEFT, Box, Offset, Point, Shape, Size

if TYPE_CHECKING:
    from collections.abc import Callable

    from ..pixels import Pixels


class Picture(NamedTuple):
    """One frame's pixels on their way from the source to a sheet.

    pixels   lie on the canvas at `offset`; the rest of the canvas is empty
    keyed    counts the pixels that a color key took away
    cut      counts the visible pixels that a region cut off
    smoothed_colors  counts the colors of hard-edged art before it was smoothed; 0 for other art
    stored   the part of the canvas that goes on a sheet, None for all of it
    flipped  left and right are those of the drawing exchanged
    source   the whole canvas before edits were laid over it, or None
    file     pixels are still to be read from it: those of this value are placeholders (`core.pixels.placeholder`) of
             the same size
    vector   what it is drawn from, if that is still to be drawn at another size
    """

    name: str
    pixels: Pixels
    canvas: Size
    offset: Offset = ORIGIN
    keyed: int = 0
    cut: int = 0
    smoothed_colors: int = 0
    stored: Box | None = None
    pivot: Point = TOP_LEFT
    shape: Shape | None = None
    flipped: bool = False
    source: Pixels | None = None
    file: str = ""
    vector: Vector | None = None

    @property
    def nbytes(self) -> int:
        """The memory that its pixels take."""
        return 0 if self.file else self.pixels.nbytes

    @property
    def part(self) -> Box:
        """The part of the canvas that `pixels` cover."""
        return Box(*self.offset, self.pixels.shape[1], self.pixels.shape[0])

    @property
    def stored_box(self) -> Box:
        """The part of the canvas that goes on a sheet."""
        return self.stored or Box(0, 0, *self.canvas)


class Vector(NamedTuple):
    """A drawing that can be drawn at any size: its own size, and what draws it on a canvas, which it fills."""

    size: Size
    draw: Callable[[Size], Pixels]


class SequenceFrame(NamedTuple):
    """One frame of a sequence: which drawing it shows, by its place among all that were read, and for how long.

    `milliseconds` is how long the source shows it, None where it does not say; `units` is how many frames of the source
    it stands for. `flipped`: shown with left and right exchanged.
    """

    name: str
    drawing: int
    milliseconds: Fraction | None = None
    units: int = 1
    flipped: bool = False


class FrameSequence(NamedTuple):
    """Frames in order, on their way to be an animation. The one without a name holds the stills.

    `loop` and `times` are what the source says of repeating: None and 0 where it says nothing. `origin` is the
    animation that it was made from, mirrored or reversed, and empty for one that was read.
    """

    name: str | None
    frames: tuple[SequenceFrame, ...]
    loop: Loop | None = None
    times: int = 0
    origin: str = ""
    making: Literal["", "mirrored", "reversed"] = ""


Sequences = tuple[FrameSequence, ...]
