"""From a bare sheet to frames in a folder."""

from __future__ import annotations

from concurrent.futures import Executor
from dataclasses import dataclass
from pathlib import Path

from ..core.errors import InputError, UsageError
from ..core.look.cut import Cutting, cells_of, cut_cells, cut_islands
from ..core.model.geometry import Size
from ..core.pixels import Pixels
from ..core.sentence import Sentence, a_file, setting
from ..exports.in_place import refuse_existing, staged
from ..exports.png import encode_png
from ..sources.sheets import read_bare_sheet


@dataclass(frozen=True, slots=True)
class CutWish:
    """How a sheet is to be cut: by `cell`, by `columns` and `rows` (0 if not given), or by `islands`."""

    cell: Size | None = None
    columns: int = 0
    rows: int = 0
    margin: int = 0
    gap: int = 0
    keep_empty: bool = False
    islands: bool = False
    join: int = 1


@dataclass(frozen=True, slots=True)
class Cut:
    """The files that were written, how many lie in each row of the sheet, and what is doubtful about the cut."""

    files: tuple[Path, ...]
    rows: tuple[int, ...]
    doubts: tuple[Sentence, ...]


def cut_sheet(sheet: str, folder: Path, wish: CutWish, executor: Executor, force: bool = False) -> Cut:
    """Cuts a sheet into frames, written to `folder` all together or not at all. Raises the errors of `core.errors`."""
    ways = [bool(wish.cell), bool(wish.columns and wish.rows), wish.islands]
    if sum(ways) != 1 or (not ways[1] and (wish.columns or wish.rows)):
        raise UsageError(
            f"say how to cut the sheet, in one way: {setting('cell')}, or {setting('columns')} and {setting('rows')}, "
            f"or {setting('islands')}"
        )
    cutting = _cut(read_bare_sheet(sheet), wish)
    if not cutting.pictures:
        raise InputError(f"{a_file(sheet)} shows nothing: every pixel is transparent")
    stem = Path(sheet).stem
    width = max(2, len(str(len(cutting.pictures))))
    names = [f"{stem}_{number:0{width}}.png" for number in range(1, len(cutting.pictures) + 1)]
    if not force:
        refuse_existing(folder, names)
    with staged(folder) as staging:
        for name, pixels in zip(names, cutting.pictures, strict=True):
            staging.write(name, encode_png(pixels, executor))
        staging.commit()
    return Cut(tuple(folder / name for name in names), cutting.rows, (*staging.notes, *cutting.doubts))


def _cut(pixels: Pixels, wish: CutWish) -> Cutting:
    if wish.islands:
        return cut_islands(pixels, wish.join)
    size = Size(pixels.shape[1], pixels.shape[0])
    cells, doubts = cells_of(size, wish.cell, wish.columns, wish.rows, wish.margin, wish.gap)
    cutting = cut_cells(pixels, cells, wish.keep_empty)
    return Cutting(cutting.pictures, cutting.rows, tuple(doubts))
