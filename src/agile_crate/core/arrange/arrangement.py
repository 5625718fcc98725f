"""The result of every layout: sheets, and each frame's place on them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from ..align import offset_in
from ..model.geometry import Block, Box, Cells, Mirror, Size
from .grid import GridSheet


class Spot(NamedTuple):
    """A frame's place: sheet, left and top edge. `drawn` is False where another frame's pixels,
    mirrored as `mirror` says, stand for it."""

    on_sheet: int
    x: int
    y: int
    turned: bool = False
    mirror: Mirror = ""
    drawn: bool = True

    def box(self, stored: Size) -> Box:
        """The box of a frame's stored pixels on its sheet."""
        return Box(self.x, self.y, stored.h, stored.w) if self.turned else Box(self.x, self.y, stored.w, stored.h)


@dataclass(frozen=True, slots=True)
class Considered:
    """An arrangement that was tried: its sheet, how it was found, and the verdict."""

    sheet: int
    way: str
    size: Size
    fill_ratio: float
    verdict: str


class SheetPlan(NamedTuple):
    """A sheet before it has a name: its size, its cells if it is a grid, its blocks if it has any, and its spacing."""

    size: Size
    cells: Cells | None = None
    margin: int = 0
    gap: int = 0
    edge_repeat: int = 0
    blocks: tuple[Block, ...] = ()


class Arrangement(NamedTuple):
    """Sheets, a spot for every frame in order, what was considered, the area that no arrangement can go below, and
    whether a smaller sheet with the same frames is impossible."""

    sheets: tuple[SheetPlan, ...]
    spots: tuple[Spot, ...]
    considered: tuple[Considered, ...] = ()
    bound: int = 0
    proven: bool = False


def in_cells(
    frames: Sequence[tuple[Size, bool]], grid: Sequence[GridSheet], align: str, edge_repeat: int, unit: int = 1
) -> Arrangement:
    """Put frames (stored size, True if mirrored) into the cells of a grid, in order, aligned in their cells by `align`,
    at multiples of a unit."""
    cell_size = grid[0].cells.size
    placing = {frame: offset_in(cell_size, frame[0], align, frame[1], unit) for frame in set(frames)}
    cells = [(index, cell) for index, sheet in enumerate(grid) for cell in sheet.boxes()]
    spots = []
    for frame, (index, cell) in zip(frames, cells, strict=True):
        by = placing[frame]
        spots.append(Spot(index, cell.x + by.x, cell.y + by.y))
    plans = (SheetPlan(sheet.size, sheet.cells, sheet.cells.margin, sheet.cells.gap, edge_repeat) for sheet in grid)
    return Arrangement(tuple(plans), tuple(spots))
