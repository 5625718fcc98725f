"""Places and rectangles in whole pixels: x runs right, y down, right and bottom edges are exclusive."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple, TypeAlias

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
        """The right edge, exclusive."""
        return self.x + self.w

    @property
    def bottom(self) -> int:
        """The bottom edge, exclusive."""
        return self.y + self.h

    @property
    def size(self) -> Size:
        """Width and height."""
        return Size(self.w, self.h)

    def moved(self, by: Offset) -> Box:
        """The same box elsewhere."""
        return Box(self.x + by.x, self.y + by.y, self.w, self.h)

    def touches(self, other: Box) -> bool:
        """Return True if the two share a pixel, or, where `other` is empty, whether it lies inside or on the edge."""
        least = 1 if other.w and other.h else 0
        across = min(self.right, other.right) - max(self.x, other.x)
        return across >= least and min(self.bottom, other.bottom) - max(self.y, other.y) >= least

    def contains(self, other: Box) -> bool:
        """Return True if `other` lies wholly inside this box; an empty box may lie on the edge."""
        return self.x <= other.x and self.y <= other.y and other.right <= self.right and other.bottom <= self.bottom


class Shape(NamedTuple):
    """Polygons around a frame's visible art, in pixels of its canvas, clockwise as seen on screen (y down).

    No visible pixel lies outside of them by more than `tolerance` pixels.
    """

    polygons: tuple[tuple[Point, ...], ...]
    tolerance: float = 0


@dataclass(frozen=True, slots=True)
class Cells:
    """The uniform grid of a sheet: frame i of the sheet lies in cell i, row by row, or column by column if `down`.

    `filled` is set if rows end early: the number of cells of each row that hold frames.
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
        """Return the number of frames that fit."""
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
        """Return where the cell of frame `index` lies on the sheet."""
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
class Block:
    """A uniform grid of its own on a sheet that has several: the crate's frames `first`, `first` + 1 … lie in its cells
    0, 1 … `at` is its top left, `cells` have no margin."""

    first: int
    count: int
    at: Offset
    cells: Cells

    @property
    def box(self) -> Box:
        """Return where all of its cells lie on the sheet."""
        return Box(*self.at, *self.cells.extent)

    def cell(self, index: int) -> Box:
        """Return where its cell `index` lies on the sheet."""
        return self.cells.box(index).moved(self.at)
