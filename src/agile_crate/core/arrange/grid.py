"""The layouts grid, strip and rows: cells of one size in columns and rows, on one or more sheets.

Our own rule, by plain enumeration of the column counts: at most `usable width / cell width` of them, so the cost does
not depend on the number of frames. A total order breaks ties; nothing is random.
"""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from ..errors import FitError
from ..message import message, setting
from ..model.geometry import Box, Cells, Size
from ..text import counted, measured
from .sheet_size import SheetRules

WIDEST = 3
"""A sheet whose columns we choose is at most this many times as long as it is wide, or as wide as it is long."""


class GridOptions(NamedTuple):
    """Options of a grid. Columns and rows of 0 are ours to choose; a strip is one row (one column if `down`)."""

    cell: Size
    columns: int = 0
    rows: int = 0
    strip: bool = False
    down: bool = False
    margin: int = 0
    gap: int = 0
    rules: SheetRules = SheetRules()

    def cells(self, columns: int, rows: int, filled: tuple[int, ...] = ()) -> Cells:
        """Return cells in so many columns and rows."""
        even = all(length == columns for length in filled[:-1])
        return Cells(self.cell, columns, rows, self.margin, self.gap, self.down, () if even else filled)


class GridSheet(NamedTuple):
    """One sheet of a grid: its size, its cells, and how many frames lie in it (the first cells, in order)."""

    size: Size
    cells: Cells
    frames: int

    def boxes(self) -> Iterator[Box]:
        """The cells that hold frames, in order."""
        return (self.cells.box(index) for index in range(self.frames))


def arrange_grid(count: int, options: GridOptions) -> tuple[GridSheet, ...]:
    """Lay `count` frames (1 or more) into the cells of the fewest sheets that hold them, in order.

    Raises FitError when a cell is larger than a sheet may be, or when the columns and rows asked for
    are too few for the frames or too many for the sheet.
    """
    most = most_cells(options)
    if options.columns and options.rows and count > options.columns * options.rows:
        raise FitError(
            "{} do not fit into {} × {} cells ({}); raise {columns} or {rows}, or leave one out",
            counted(count, "frame"),
            options.columns,
            options.rows,
            options.columns * options.rows,
        )
    sheets: list[GridSheet] = []
    while count:
        cells = _cells_of_next_sheet(count, options, most)
        placed = min(count, cells.count)
        sheets.append(GridSheet(options.rules.sheet_size(cells.extent), cells, placed))
        count -= placed
    return tuple(sheets)


def most_cells(options: GridOptions) -> Size:
    """Return the most columns and rows that a sheet can have, checked against the wanted numbers."""
    usable = options.rules.usable
    limit = (
        setting("size", measured(usable)) if options.rules.exact else f"the largest sheet allowed, {measured(usable)}"
    )
    advice = message("give a larger {size}") if options.rules.exact else message("raise {max_size}")
    single = options.cells(1, 1).extent
    if single.w > usable.w or single.h > usable.h:
        with_margin = f" with its margin ({measured(single)})" if options.margin else ""
        raise FitError("a cell of {}{} is larger than {}; {}", measured(options.cell), with_margin, limit, advice)
    most = _room(usable, options)
    for wanted, possible, word in ((options.columns, most.w, "columns"), (options.rows, most.h, "rows")):
        if wanted > possible:
            raise FitError(
                "{} {} of {} cells are larger than {}; at most {} fit, or {}",
                wanted,
                word,
                measured(options.cell),
                limit,
                possible,
                advice,
            )
    return most


def _cells_of_next_sheet(count: int, options: GridOptions, most: Size) -> Cells:
    if options.strip:
        length = min(count, most.h if options.down else most.w)
        return options.cells(1, length) if options.down else options.cells(length, 1)
    if options.columns and options.rows:
        return options.cells(options.columns, options.rows)
    if options.columns:
        return options.cells(options.columns, min(-(-count // options.columns), most.h))
    if options.rows:
        return options.cells(min(-(-count // options.rows), most.w), options.rows)
    cells = _best_cells(count, options, most) or options.cells(*most)
    return _filling(cells, options) if options.rules.exact or options.rules.pow2 else cells


def _filling(cells: Cells, options: GridOptions) -> Cells:
    """Return the cells with all columns and rows that fit on their sheet. Engines that slice a sheet count them all."""
    size = options.rules.sheet_size(cells.extent)
    return options.cells(*_room(size, options))


def _room(size: Size, options: GridOptions) -> Size:
    """Return the most columns and rows of cells on a sheet of a size."""
    pairs = zip(size, options.cell, strict=True)
    return Size(*((room - 2 * options.margin + options.gap) // (side + options.gap) for room, side in pairs))


def _best_cells(count: int, options: GridOptions, most: Size) -> Cells | None:
    """The cells for `count` frames on one sheet, or None if one sheet cannot hold them.

    Among the column counts whose sheet is at most 3:1: the smallest sheet, then the fewest empty cells, then the
    nearest to square, then the wider. Where no sheet is within 3:1 (very long cells), the nearest to square.
    """
    ranked = [(_rank(cells, size), cells) for cells, size in _possible(count, options, most) if cells.rows <= most.h]
    return min(ranked, key=lambda entry: entry[0])[1] if ranked else None


def considered_grids(count: int, options: GridOptions) -> Iterator[tuple[Cells, Size, str]]:
    """Yield every number of columns that was tried for `count` frames on one sheet, with its verdict."""
    most = most_cells(options)
    best = _best_cells(count, options, most)
    for cells, size in _possible(count, options, most):
        if cells.rows > most.h:
            why = "too high for a sheet"
        elif max(size) > WIDEST * min(size):
            why = f"longer than {WIDEST}:1"
        elif best and size.w * size.h > (taken := options.rules.sheet_size(best.extent)).w * taken.h:
            why = "larger"
        else:
            why = "as large, and less even or with more empty cells"
        yield cells, size, why


def _possible(count: int, options: GridOptions, most: Size) -> Iterator[tuple[Cells, Size]]:
    for columns in range(1, min(count, most.w) + 1):
        cells = options.cells(columns, -(-count // columns))
        yield cells, options.rules.sheet_size(cells.extent)


def _rank(cells: Cells, size: Size) -> tuple[float, ...]:
    stretch = max(size) / min(size)
    return max(stretch, WIDEST), size.w * size.h, cells.count, stretch, -cells.columns


def arrange_rows(counts: Sequence[int], options: GridOptions) -> tuple[GridSheet, ...]:
    """Arrange rows of cells for animations of these frame counts (1 or more), in order.

    `options.columns` limits a row; without it the longest animation sets it, as far as the sheet is wide enough. What
    is longer goes on in rows below. An animation's rows stay on one sheet if one can hold them. Raises FitError when a
    cell or the columns asked for are larger than a sheet may be. Cost: linear in the rows.
    """
    most = most_cells(options)
    columns = options.columns or min(max(counts), most.w)
    sheets: list[list[int]] = [[]]
    for count in counts:
        rows = [columns] * (count // columns) + ([count % columns] if count % columns else [])
        if sheets[-1] and len(sheets[-1]) + len(rows) > most.h and len(rows) <= most.h:
            sheets.append([])
        for row in rows:
            if len(sheets[-1]) == most.h:
                sheets.append([])
            sheets[-1].append(row)
    return tuple(_sheet(rows, columns, options) for rows in sheets)


def _sheet(rows: Sequence[int], columns: int, options: GridOptions) -> GridSheet:
    cells = options.cells(columns, len(rows), tuple(rows))
    return GridSheet(options.rules.sheet_size(cells.extent), cells, sum(rows))
