"""The layouts with cells of one size: grid, strip and rows."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial

from ..errors import FitError
from ..frame.canvas import largest
from ..frame.trim import visible_on_canvas
from ..frame.visible import union
from ..message import Message, message, setting
from ..model.geometry import Cells, Size
from ..model.picture import Picture
from ..text import counted, few, measured, quoted
from .arrangement import Considered, in_cells
from .grid import GridOptions, GridSheet, arrange_grid, arrange_rows, considered_grids
from .layout import Arranged, LayoutRequest
from .one_sheet import Arrange, on_one_sheet
from .sparse import mostly_empty


def arranged_in_grid(request: LayoutRequest) -> Arranged:
    """Arrange frames in cells, in order. Raises FitError."""
    wanted = _grid_options(request)
    arrange = partial(arrange_grid, len(request.pictures))
    is_chosen = not (wanted.columns or wanted.rows)
    return _in_cells(request, wanted, arrange, _considered if is_chosen else _wanted_grid)


def arranged_in_strip(request: LayoutRequest) -> Arranged:
    """Arrange frames in one row, or in one column. Raises FitError."""
    wanted = _grid_options(request)._replace(strip=True)
    return _in_cells(request, wanted, partial(arrange_grid, len(request.pictures)), _wanted_grid)


def arranged_in_rows(request: LayoutRequest) -> Arranged:
    """Arrange frames in cells, one animation a row. Raises FitError."""
    counts = [len(sequence.frames) for sequence in request.sequences]
    return _in_cells(request, _grid_options(request), partial(arrange_rows, counts), _wanted_grid)


def _grid_options(request: LayoutRequest) -> GridOptions:
    pictures, options = request.pictures, request.options
    rules = options.rules
    cell = options.cell or largest(
        [Size(options.unit, options.unit), *(picture.stored_box.size for picture in pictures)]
    )
    if options.square_cells:
        cell = Size(max(cell), max(cell))
    larger = setting("size" if rules.exact and options.columns and options.rows else "cell")
    smaller = message("or make frames smaller with {scale} or {trim}")
    if larger_ones := _larger(pictures, cell):
        advice = _in_smaller_cells(pictures, cell) or message("give a larger {}, {}", larger, smaller)
        raise _too_large(larger_ones, cell, "the cell", advice)
    if larger_ones := _larger(pictures, rules.usable):
        advice = message("raise {max_size} or {size}, {}", smaller)
        raise _too_large(larger_ones, rules.usable, "a sheet may be", advice)
    return GridOptions(
        cell=cell,
        columns=options.columns,
        rows=options.rows,
        down=options.down,
        margin=options.margin,
        gap=options.gap,
        rules=rules,
    )


def _in_cells(
    request: LayoutRequest,
    wanted: GridOptions,
    arrange: Arrange,
    considered: Callable[[Sequence[GridSheet], GridOptions], Iterable[Considered]],
) -> Arranged:
    pictures, options, grid = request.pictures, request.options, arrange(wanted)
    if options.one_sheet and len(grid) > 1:
        raise FitError(
            "{} in cells of {} need {} sheets, and {one_sheet} allows one of {}; scale frames down, or raise "
            "{max_size}",
            counted(len(pictures), "frame"),
            measured(wanted.cell),
            len(grid),
            measured(wanted.rules.usable),
        )
    frames = [(picture.stored_box.size, picture.flipped) for picture in pictures]
    result = in_cells(frames, grid, options.align, options.edge_repeat, options.unit)
    result = result._replace(considered=tuple(considered(grid, wanted)), bound=sum(w * h for (w, h), _ in frames))
    remarks = [
        *_smaller(pictures, wanted.cell, options.align),
        *([] if options.cell else _alone(pictures, wanted.cell)),
        *mostly_empty(request.sequences, pictures, [sheet.size for sheet in grid]),
    ]
    broken = tuple(on_one_sheet(grid, wanted, arrange))
    if wanted.strip:  # a strip in pieces is no strip
        return Arranged(result, tuple(remarks), broken)
    return Arranged(result, (*remarks, *broken))


def _wanted_grid(grid: Sequence[GridSheet], _: GridOptions) -> Iterator[Considered]:
    for index, sheet in enumerate(grid):
        yield _attempt(index, sheet, sheet.cells, sheet.size, "as asked for")


def _considered(grid: Sequence[GridSheet], wanted: GridOptions) -> Iterator[Considered]:
    for index, sheet in enumerate(grid):
        chosen = sheet.cells
        tried = list(considered_grids(sheet.frames, wanted))
        for cells, size, why in tried:
            verdict = "taken" if cells.columns == chosen.columns else why
            yield _attempt(index, sheet, cells, size, verdict)
        if all(cells.columns != chosen.columns for cells, *_ in tried):  # the sheet has room for more than are needed
            yield _attempt(index, sheet, chosen, sheet.size, "taken")


def _attempt(index: int, sheet: GridSheet, cells: Cells, size: Size, verdict: str) -> Considered:
    full = sheet.frames * cells.size.w * cells.size.h / (size.w * size.h)
    return Considered(index, f"{cells.columns} × {cells.rows}", size, full, verdict)


def _larger(pictures: Sequence[Picture], limit: Size) -> list[Picture]:
    return [picture for picture in pictures if picture.stored_box.w > limit.w or picture.stored_box.h > limit.h]


def _too_large(pictures: Sequence[Picture], limit: Size, what: str, advice: Message) -> FitError:
    others = message(" (and {:,} more)", len(pictures) - 1) if len(pictures) > 1 else ""
    return FitError(
        "frame {}{} is {}, larger than {}, {}; {}",
        quoted(pictures[0].name),
        others,
        measured(pictures[0].stored_box.size),
        what,
        measured(limit),
        advice,
    )


def _in_smaller_cells(pictures: Sequence[Picture], cell: Size) -> Message | None:
    """Return the advice to trim, if frames were not trimmed and all that is visible of them needs less room."""
    if any(picture.stored or picture.file for picture in pictures):
        return None
    seen = union(box for picture in pictures if (box := visible_on_canvas(picture)))
    if seen is None or len({picture.canvas for picture in pictures}) > 1 or seen.size == pictures[0].canvas:
        return None
    what = message("all that is visible lies in {}", measured(seen.size))
    if seen.w <= cell.w and seen.h <= cell.h:
        return message("{}, so {trim:sheet} makes them fit", what)
    needed = setting("cell", f"{seen.w}x{seen.h}")
    return message("{}: give {} with {trim:sheet}, or use {scale}", what, needed)


WIDER, LEAST_BESIDE = 1.5, 8
"""A frame is named if it alone makes the cells so many times as large, by area, as so many others need."""


def _alone(pictures: Sequence[Picture], cell: Size) -> Iterator[Message]:
    """Yield a remark on a frame that alone makes all cells large."""
    if len(pictures) <= LEAST_BESIDE:
        return
    widest = max(pictures, key=lambda picture: picture.stored_box.w)
    highest = max(pictures, key=lambda picture: picture.stored_box.h)
    for odd in (widest, highest):
        rest = largest([Size(1, 1), *(picture.stored_box.size for picture in pictures if picture is not odd)])
        if cell.w * cell.h >= WIDER * rest.w * rest.h:
            yield message(
                "cells are {} because of {}; all others fit {}", measured(cell), quoted(odd.name), measured(rest)
            )
            return


def _smaller(pictures: Sequence[Picture], cell: Size, align: str) -> Iterator[Message]:
    smaller = [picture for picture in pictures if picture.stored_box.size not in (cell, (0, 0))]
    if smaller:
        sizes = Counter(picture.stored_box.size for picture in smaller)
        kinds = few((f"{measured(size)} ({count})" for size, count in sizes.most_common()), 4)
        yield message(
            "{} smaller than the {} cell, aligned to its {} ({align}): {}",
            counted(len(smaller), "frame"),
            measured(cell),
            align,
            kinds,
        )
