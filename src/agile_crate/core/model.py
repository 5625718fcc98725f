"""The vocabulary of the program as frozen values. Words are those of docs/words.md."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import TYPE_CHECKING, Literal, NamedTuple, TypeAlias

if TYPE_CHECKING:
    from .pixels import Pixels

FORMAT = "agile-crate"
VERSION = 1

Loop: TypeAlias = Literal["forever", "once", "back-and-forth"]
Mirror: TypeAlias = Literal["", "x", "y", "xy"]


class Size(NamedTuple):
    """Width and height in whole pixels."""

    w: int
    h: int


class Point(NamedTuple):
    """A point in pixels, from the top left, y down. Fractions are allowed."""

    x: float
    y: float


class Offset(NamedTuple):
    """A shift in whole pixels: where stored pixels go on their canvas."""

    x: int
    y: int


ORIGIN = Offset(0, 0)
TOP_LEFT = Point(0, 0)


class Box(NamedTuple):
    """A rectangle in whole pixels: left, top, width, height. Right and bottom are exclusive."""

    x: int
    y: int
    w: int
    h: int

    @property
    def right(self) -> int:
        return self.x + self.w

    @property
    def bottom(self) -> int:
        return self.y + self.h

    @property
    def size(self) -> Size:
        return Size(self.w, self.h)

    def moved(self, by: Offset) -> Box:
        """The same box elsewhere."""
        return Box(self.x + by.x, self.y + by.y, self.w, self.h)

    def contains(self, other: Box) -> bool:
        """Whether `other` lies wholly inside this box; an empty box may lie on the edge."""
        return self.x <= other.x and self.y <= other.y and other.right <= self.right and other.bottom <= self.bottom


@dataclass(frozen=True, slots=True)
class Shape:
    """Polygons round what is visible of a frame, in pixels of its canvas, clockwise as seen on screen (y down).

    No visible pixel lies outside of them by more than `tolerance` pixels.
    """

    polygons: tuple[tuple[Point, ...], ...]
    tolerance: float = 0


@dataclass(frozen=True, slots=True, eq=False)
class Picture:
    """One frame on its way from its source to a sheet.

    `pixels` lie on the canvas at `offset`; the rest of the canvas is empty. `milliseconds` is how long the source shows
    it, None where it does not say; `units` is how many frames of the source it stands for. `keyed` counts the pixels
    that a colour key took away. `stored` is the part of the canvas that goes on a sheet, None for all of it.
    """

    name: str
    pixels: Pixels
    canvas: Size
    offset: Offset = ORIGIN
    milliseconds: Fraction | None = None
    units: int = 1
    keyed: int = 0
    look: bytes = b""
    stored: Box | None = None
    pivot: Point = TOP_LEFT
    shape: Shape | None = None

    @property
    def nbytes(self) -> int:
        """The memory that its pixels take."""
        return self.pixels.nbytes

    @property
    def part(self) -> Box:
        """The part of the canvas that `pixels` cover."""
        return Box(*self.offset, self.pixels.shape[1], self.pixels.shape[0])

    @property
    def stored_box(self) -> Box:
        """The part of the canvas that goes on a sheet."""
        return self.stored or Box(0, 0, *self.canvas)


@dataclass(frozen=True, slots=True, eq=False)
class FrameSequence:
    """Pictures in order, on their way to be an animation. The one without a name holds the stills.

    `loop` and `times` are what the source says of repeating: None and 0 where it says nothing.
    """

    name: str | None
    pictures: tuple[Picture, ...]
    loop: Loop | None = None
    times: int = 0


@dataclass(frozen=True, slots=True)
class Frame:
    """One frame as the metadata describes it: where it lies, and how it goes back on its canvas.

    `box` is as stored; with `turned` the pixels lie there rotated by 90° clockwise, so the upright size is (h, w).
    `canvas`, `offset`, `pivot` and `box` are in pixels of this crate.
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

    @property
    def upright(self) -> Size:
        """The size of the stored pixels once they are turned back."""
        return Size(self.box.h, self.box.w) if self.turned else self.box.size


@dataclass(frozen=True, slots=True)
class Animation:
    """A named list of frames (indices into the crate's frames), whole milliseconds for each, and a loop rule.

    `times` is how many times an animation is shown that ends ("once") after more than one showing; 0 otherwise.
    """

    name: str
    frames: tuple[int, ...]
    durations: tuple[int, ...]
    loop: Loop = "forever"
    times: int = 0


@dataclass(frozen=True, slots=True)
class Cells:
    """The uniform grid of a sheet: frame i of the sheet lies in cell i, row by row, or column by column if `down`.

    `filled` is there when rows end early: how many cells of each row hold frames; the others count for none.
    """

    size: Size
    columns: int
    rows: int
    margin: int = 0
    gap: int = 0
    down: bool = False
    filled: tuple[int, ...] = ()

    @property
    def count(self) -> int:
        """How many frames there is room for."""
        return sum(self.filled) if self.filled else self.columns * self.rows

    @property
    def extent(self) -> Size:
        """The cells with gaps and margins: what the sheet must at least hold."""
        return Size(
            *(
                2 * self.margin + number * (side + self.gap) - self.gap
                for number, side in ((self.columns, self.size.w), (self.rows, self.size.h))
            )
        )

    def box(self, index: int) -> Box:
        """Where the cell of frame `index` lies on the sheet."""
        if self.filled:
            row, column = 0, index
            while column >= self.filled[row] and row + 1 < len(self.filled):
                column -= self.filled[row]
                row += 1
        else:
            column, row = divmod(index, self.rows) if self.down else divmod(index, self.columns)[::-1]
        return Box(
            self.margin + column * (self.size.w + self.gap), self.margin + row * (self.size.h + self.gap), *self.size
        )


@dataclass(frozen=True, slots=True)
class Sheet:
    """One output image. `sha256` is of the image file, in hex; empty while it has not been written.

    `gap` and `margin` are kept by all boxes; `edge_repeat` is how many pixels each box's edge is repeated outwards.
    """

    image: str
    size: Size
    cells: Cells | None = None
    sha256: str = ""
    gap: int = 0
    margin: int = 0
    edge_repeat: int = 0


@dataclass(frozen=True, slots=True)
class Crate:
    """One build's result: its sheets and all that is known of its frames.

    `settings` are those by which frames were taken and changed, as they were given: a proof repeats them.
    `background` is the colour (#rrggbb) that the sheets were flattened on, empty if they have alpha. `files` are the
    names of the build's text files, where there are more than one.
    """

    name: str
    sheets: tuple[Sheet, ...]
    frames: tuple[Frame, ...]
    animations: tuple[Animation, ...]
    scale: float = 1
    alpha: Literal["straight", "premultiplied"] = "straight"
    generator: str = ""
    settings: Mapping[str, object] = field(default_factory=dict)
    background: str = ""
    files: tuple[str, ...] = ()
