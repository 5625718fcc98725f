"""Arrangement: prepared frames get sheets, and a spot each."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from ..core.arrange.arrangement import Arrangement, Considered, in_cells
from ..core.arrange.grid import GridOptions, GridSheet, arrange_grid, considered_grids
from ..core.arrange.rows import arrange_rows
from ..core.errors import FitError
from ..core.frame.canvas import largest
from ..core.message import Message, message, setting
from ..core.model.crate import Crate
from ..core.model.geometry import Size
from ..core.model.picture import Picture, Sequences
from ..core.text import counted, few, measured, quoted
from ..settings.table import Settings
from .prepare import Prepared


class Arranged(NamedTuple):
    """Where all frames go, and what to say of it."""

    arrangement: Arrangement
    remarks: tuple[Message, ...]


def arranged(sequences: Sequences, prepared: Prepared, before: Crate | None = None) -> Arranged:
    """Arrange prepared frames on sheets. `before` is the previous crate, whose places frames may have to keep. Raises
    FitError."""
    if prepared.settings.layout == "tight":
        from .tight import arranged_tightly

        return Arranged(*arranged_tightly(sequences, prepared, before))
    if prepared.settings.layout == "blocks":
        from .blocks import arranged_in_blocks

        return Arranged(*arranged_in_blocks(sequences, prepared.pictures, prepared.settings))
    return _in_grid(sequences, prepared.pictures, prepared.settings)


def _in_grid(sequences: Sequences, pictures: Sequence[Picture], settings: Settings) -> Arranged:
    sizes = [picture.stored_box.size for picture in pictures]
    cell = settings.cell or largest([Size(1, 1), *sizes])
    larger = setting("size" if settings.size and settings.columns and settings.rows else "cell")
    _refuse_larger(pictures, cell, "the cell", message("give a larger {}", larger))
    _refuse_larger(pictures, settings.sheet_rules.usable, "a sheet may be", message("raise {max_size} or {size}"))
    wish = GridOptions(
        cell=cell,
        columns=settings.columns,
        rows=settings.rows,
        strip=settings.layout == "strip",
        down=settings.down,
        margin=settings.kept_margin,
        gap=settings.kept_gap,
        rules=settings.sheet_rules,
    )
    if settings.layout == "rows":
        grid = arrange_rows([len(sequence.frames) for sequence in sequences], wish)
    else:
        grid = arrange_grid(len(pictures), wish)
    if settings.one_sheet and len(grid) > 1:
        raise FitError(
            "{} in cells of {} need {} sheets, and {one_sheet} allows one of {}; scale frames down, or raise "
            "{max_size}",
            counted(len(pictures), "frame"),
            measured(cell),
            len(grid),
            measured(wish.rules.usable),
        )
    frames = [(size, picture.flipped) for size, picture in zip(sizes, pictures, strict=True)]
    result = in_cells(frames, grid, settings.align, settings.edge_repeat)
    result = result._replace(considered=tuple(_grids(grid, wish, settings)), bound=sum(w * h for w, h in sizes))
    return Arranged(result, tuple(_smaller(pictures, cell, settings.align)))


def _grids(grid: Sequence[GridSheet], wish: GridOptions, settings: Settings) -> Iterator[Considered]:
    for index, sheet in enumerate(grid):
        chosen = sheet.cells
        if settings.layout != "grid" or settings.columns or settings.rows:
            full = sheet.frames * chosen.size.w * chosen.size.h / (sheet.size.w * sheet.size.h)
            yield Considered(index, f"{chosen.columns} × {chosen.rows}", sheet.size, full, "as asked for")
            continue
        for cells, size, why in considered_grids(sheet.frames, wish):
            full = sheet.frames * cells.size.w * cells.size.h / (size.w * size.h)
            verdict = "taken" if (cells.columns, cells.rows) == (chosen.columns, chosen.rows) else why
            yield Considered(index, f"{cells.columns} × {cells.rows}", size, full, verdict)


def _refuse_larger(pictures: Sequence[Picture], limit: Size, what: str, advice: str) -> None:
    larger = [p for p in pictures if p.stored_box.w > limit.w or p.stored_box.h > limit.h]
    if larger:
        others = message(" (and {:,} more)", len(larger) - 1) if len(larger) > 1 else ""
        raise FitError(
            "frame {}{} is {}, larger than {}, {}; {}, or make frames smaller with {scale} or {trim}",
            quoted(larger[0].name),
            others,
            measured(larger[0].stored_box.size),
            what,
            measured(limit),
            advice,
        )


def _smaller(pictures: Sequence[Picture], cell: Size, align: str) -> Iterator[Message]:
    smaller = [picture for picture in pictures if picture.stored_box.size not in (cell, (0, 0))]
    if smaller:
        sizes = Counter(picture.stored_box.size for picture in smaller)
        kinds = few((f"{measured(size)} ({count})" for size, count in sizes.most_common()), 4)
        yield message(
            "{} smaller than the {} cell, put at its {} ({align}): {}",
            counted(len(smaller), "frame"),
            measured(cell),
            align,
            kinds,
        )
