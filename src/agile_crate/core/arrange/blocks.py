"""The blocks layout: each animation in a grid of its own, with cells of its own size, and the grids on as small a sheet
as can be found.

A grid of so many cells can have several shapes. Which of them lie best together is found by trying: first the least
empty cells and the nearest to square, then others by chance from a fixed seed, then changes to a few blocks of the best
so far (random restart and local search; Johnson et al., "How easy is local search?", JCSS 37, 1988, name the scheme).
Every choice is judged by the tight arrangement of its blocks.
"""

from __future__ import annotations

import random
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from ..model.geometry import Cells, Size
from .sheet_size import SheetLimits
from .sheets import BoxGroup, Filling, arrange_on_sheets
from .tight import bound

ROUNDS = {"quick": 6, "normal": 24, "deep": 400}
"""Choices of shapes to try, by effort."""

BOXES = {"quick": 2_000, "normal": 10_000, "deep": 200_000}
"""So many boxes are placed in all these rounds, about; at least two choices are tried."""

EMPTY = 1.1
"""A block may be so many times as large as its least shape, with the cells that stay empty."""


@dataclass(frozen=True, slots=True)
class Lot:
    """The number of frames with cells of one size, and the cell. A `loose` lot may go to any sheet."""

    count: int
    cell: Size
    loose: bool = False


class BlockPart(NamedTuple):
    """The frames of a lot that share a block: the lot, the number of the first frame, and the count."""

    lot: int
    first: int
    frames: int


class BlockShape(NamedTuple):
    """Columns and rows of a block."""

    columns: int
    rows: int


class Shaped(NamedTuple):
    """A part of a lot and the cells of its block, which is a box to the arrangement."""

    part: BlockPart
    cells: Cells


@dataclass(frozen=True, slots=True)
class Blocks:
    """All blocks, and the sheets that they lie on: a filling's boxes are indices of blocks."""

    blocks: tuple[Shaped, ...]
    fillings: tuple[Filling, ...]


def arrange_blocks(lots: Sequence[Lot], limits: SheetLimits, columns: int = 0, rows: int = 0) -> Blocks:
    """Arrange blocks for all lots on the fewest and smallest sheets found. `columns` or `rows` (0: any) are wanted of
    each block, where its frames and the sheet allow.

    A lot that is more than a sheet can hold becomes several blocks. Every cell must fit on a sheet by itself. The same
    lots give the same blocks. Cost: that of `arrange_on_sheets`, quick, for each of `ROUNDS`, and once as asked for.
    """
    usual = replace(limits, turn=False)
    parts = [part for number, lot in enumerate(lots) for part in _parts(number, lot, usual, columns, rows)]
    if not parts:
        return Blocks((), ())
    search = _BlockSearch(lots, parts, usual, [_shapes(part, lots, usual, columns, rows) for part in parts])
    return search.result()


def _most(cell: Size, limits: SheetLimits, columns: int, rows: int) -> BlockShape:
    """The most columns and rows that a block can have on a sheet."""
    room = [inside // (side + limits.gap) for inside, side in zip(limits.inside, cell, strict=True)]
    return BlockShape(min(columns or room[0], room[0]), min(rows or room[1], room[1]))


def _parts(number: int, lot: Lot, limits: SheetLimits, columns: int, rows: int) -> Iterator[BlockPart]:
    """Split a lot into the fewest blocks; all but the last are full."""
    most = _most(lot.cell, limits, columns, rows)
    for first in range(0, lot.count, most.columns * most.rows):
        yield BlockPart(number, first, min(lot.count - first, most.columns * most.rows))


def _shapes(part: BlockPart, lots: Sequence[Lot], limits: SheetLimits, columns: int, rows: int) -> list[BlockShape]:
    """Return the shapes that a block may have, without a spare row or column: the fewest empty cells first, then the
    nearest to square. Shapes that would make a sheet longer than its aspect allows are left out."""
    cell, count = lots[part.lot].cell, part.frames
    most = _most(cell, limits, columns, rows)
    if columns:
        return [BlockShape(min(count, most.columns), -(-count // most.columns))]
    if rows:
        return [BlockShape(-(-count // most.rows), min(count, most.rows))]
    shapes = [BlockShape(wide, -(-count // wide)) for wide in range(1, min(count, most.columns) + 1)]
    shapes = [shape for shape in shapes if shape.rows <= most.rows and -(-count // shape.rows) == shape.columns]
    area = bound([lot.cell for lot in lots for _ in range(lot.count)], limits.gap)

    def is_too_long(shape: BlockShape) -> bool:
        w, h = _sides(shape, cell, limits.gap)
        return limits.aspect is not None and max(w, h) ** 2 > limits.aspect * max(area, w * h)

    fitting = [shape for shape in shapes if not is_too_long(shape)]
    fitting = fitting or [min(shapes, key=lambda shape: max(_sides(shape, cell, limits.gap)))]

    def rank(shape: BlockShape) -> tuple[int, float]:
        w, h = _sides(shape, cell, limits.gap)
        return shape.columns * shape.rows, max(w, h) / min(w, h)

    least = min(shape.columns * shape.rows for shape in fitting)
    return sorted((shape for shape in fitting if shape.columns * shape.rows <= EMPTY * least), key=rank)


def _sides(shape: BlockShape, cell: Size, gap: int) -> Size:
    return Cells(cell, *shape, gap=gap).extent


class _BlockSearch:
    """A choice of a shape for each part, and its result."""

    def __init__(
        self,
        lots: Sequence[Lot],
        parts: Sequence[BlockPart],
        limits: SheetLimits,
        shapes: Sequence[Sequence[BlockShape]],
    ) -> None:
        self.lots = lots
        self.parts = parts
        self.limits = limits
        self.shapes = shapes
        self.chance = random.Random(len(parts))
        self.open = [number for number, some in enumerate(shapes) if len(some) > 1]
        loose = [number for number, part in enumerate(parts) if lots[part.lot].loose]
        together: dict[int, list[int]] = {}
        for number, part in enumerate(parts):
            if not lots[part.lot].loose:
                together.setdefault(part.lot, []).append(number)
        self.groups = [BoxGroup(tuple(some)) for some in together.values()]
        self.groups += [BoxGroup(tuple(loose), loose=True)] if loose else []

    def result(self) -> Blocks:
        """Return the best arrangement that was found."""
        quick = replace(self.limits, effort="quick")
        best = [shapes[0] for shapes in self.shapes]
        fillings = self._arranged(best, quick)
        effort = self.limits.effort
        rounds = min(ROUNDS[effort], max(2, BOXES[effort] // len(self.parts))) if self.open else 0
        for count in range(rounds):
            choice = self._changed(best) if count % 3 else self._by_chance()
            if _worth(arranged := self._arranged(choice, quick)) < _worth(fillings):
                best, fillings = choice, arranged
        if effort != "quick":
            fillings = min(fillings, self._arranged(best, self.limits), key=_worth)
        return Blocks(tuple(map(self._shaped, self.parts, best)), tuple(fillings))

    def _shaped(self, part: BlockPart, shape: BlockShape) -> Shaped:
        return Shaped(part, Cells(self.lots[part.lot].cell, *shape, gap=self.limits.gap))

    def _arranged(self, choice: Sequence[BlockShape], limits: SheetLimits) -> list[Filling]:
        sizes = [
            _sides(shape, self.lots[part.lot].cell, limits.gap) for part, shape in zip(self.parts, choice, strict=True)
        ]
        return arrange_on_sheets(sizes, self.groups, limits)

    def _by_chance(self) -> list[BlockShape]:
        """Pick one of the shapes with the fewest empty cells."""
        chosen = []
        for shapes in self.shapes:
            least = [shape for shape in shapes if shape.columns * shape.rows == shapes[0].columns * shapes[0].rows]
            chosen.append(self.chance.choice(least))
        return chosen

    def _changed(self, choice: Sequence[BlockShape]) -> list[BlockShape]:
        """Return the choice with a few blocks changed at random."""
        changed = list(choice)
        few = 1 + int(self.chance.expovariate(0.5))
        for number in self.chance.sample(self.open, min(few, len(self.open))):
            changed[number] = self.chance.choice(self.shapes[number])
        return changed


def _worth(fillings: Sequence[Filling]) -> tuple[int, int]:
    """Return the rank of a result: fewer sheets, then fewer pixels."""
    return len(fillings), sum(filling.arranged.size.w * filling.arranged.size.h for filling in fillings)
