"""The arrange stop: prepared frames and settings become sheets with a spot for every frame."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace

from .core.arrangement import Arrangement, Considered, in_cells
from .core.canvas import largest
from .core.errors import FitError
from .core.grid import GridSheet, GridWish, arrange_grid, considered_grids
from .core.model import FrameSequence, Picture, Size
from .core.rows import arrange_rows
from .core.text import counted, few, measured, quoted
from .settings import Settings


def arranged(sequences: Sequence[FrameSequence], settings: Settings) -> tuple[Arrangement, tuple[str, ...]]:
    """Where all frames go, and what to tell of it. Raises FitError."""
    pictures = [picture for sequence in sequences for picture in sequence.pictures]
    if settings.layout == "tight":
        from .tight_sheets import arranged_tightly

        return arranged_tightly(sequences, pictures, settings)
    return _in_grid(sequences, pictures, settings)


def _in_grid(
    sequences: Sequence[FrameSequence], pictures: Sequence[Picture], settings: Settings
) -> tuple[Arrangement, tuple[str, ...]]:
    sizes = [picture.stored_box.size for picture in pictures]
    cell = settings.cell or largest([Size(1, 1), *sizes])
    _refuse_larger(pictures, cell, "the cell", "give a larger --cell")
    _refuse_larger(pictures, settings.sheet_rules.usable, "a sheet may be", "raise --max-size or --size")
    wish = GridWish(
        cell=cell,
        columns=settings.columns,
        rows=settings.rows,
        strip=settings.layout == "strip",
        down=settings.down,
        margin=max(settings.margin, settings.edge_repeat),
        gap=max(settings.gap, 2 * settings.edge_repeat),
        rules=settings.sheet_rules,
    )
    if settings.layout == "rows":
        grid = arrange_rows([len(sequence.pictures) for sequence in sequences], wish)
    else:
        grid = arrange_grid(len(pictures), wish)
    if settings.one_sheet and len(grid) > 1:
        raise FitError(
            f"{counted(len(pictures), 'frame')} in cells of {measured(cell)} need {len(grid)} sheets, and --one-sheet "
            f"allows one of {measured(wish.rules.usable)}; scale frames down, or raise --max-size"
        )
    result = in_cells(sizes, grid, settings.align, settings.edge_repeat)
    result = replace(result, considered=tuple(_grids(grid, wish, settings)), bound=sum(w * h for w, h in sizes))
    return result, tuple(_smaller(pictures, cell, settings.align))


def _grids(grid: Sequence[GridSheet], wish: GridWish, settings: Settings) -> Iterator[Considered]:
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
        others = f" (and {len(larger) - 1:,} more)" if len(larger) > 1 else ""
        raise FitError(
            f"frame {quoted(larger[0].name)}{others} is {measured(larger[0].stored_box.size)}, larger than {what}, "
            f"{measured(limit)}; {advice}, or make frames smaller with --scale or --trim"
        )


def _smaller(pictures: Sequence[Picture], cell: Size, align: str) -> Iterator[str]:
    smaller = [picture for picture in pictures if picture.stored_box.size not in (cell, (0, 0))]
    if smaller:
        sizes = Counter(picture.stored_box.size for picture in smaller)
        kinds = few((f"{measured(size)} ({count})" for size, count in sizes.most_common()), 4)
        yield (
            f"{counted(len(smaller), 'frame')} smaller than the {measured(cell)} cell, "
            f"put at its {align} (--align): {kinds}"
        )
