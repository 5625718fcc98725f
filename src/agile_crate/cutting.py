"""From a bare sheet to frames in a folder."""

from __future__ import annotations

from concurrent.futures import Executor
from dataclasses import dataclass
from pathlib import Path

from .core.cut import Cutting, cells_of, cut_cells, cut_islands
from .core.errors import InputError, OutputError, UsageError
from .core.model import Size
from .core.pixels import Pixels
from .core.text import few, shown


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
    doubts: tuple[str, ...]


def cut_sheet(sheet: str, folder: Path, wish: CutWish, executor: Executor, force: bool = False) -> Cut:
    """Cuts a sheet into frames, written to `folder` all together or not at all. Raises the errors of `core.errors`."""
    ways = [bool(wish.cell), bool(wish.columns and wish.rows), wish.islands]
    if sum(ways) != 1 or (not ways[1] and (wish.columns or wish.rows)):
        raise UsageError("say how to cut the sheet, in one way: --cell, or --columns and --rows, or --islands")
    cutting = _cut(_read(sheet), wish)
    if not cutting.pictures:
        raise InputError(f"{shown(sheet)} shows nothing: every pixel is transparent")
    stem = Path(sheet).stem
    width = max(2, len(str(len(cutting.pictures))))
    names = [f"{stem}_{number:0{width}}.png" for number in range(1, len(cutting.pictures) + 1)]
    there = [name for name in names if (folder / name).exists()]
    if there and not force:
        raise OutputError(f"already in {shown(str(folder))}: {few(there)}; choose another --out, or give --force")
    _write(folder, dict(zip(names, cutting.pictures, strict=True)), executor)
    return Cut(tuple(folder / name for name in names), cutting.rows, cutting.doubts)


def _read(sheet: str) -> Pixels:
    from .sources.pictures import LARGEST_SHEET, read_still
    from .sources.png_chunks import PictureError

    try:
        return read_still(Path(sheet).read_bytes(), LARGEST_SHEET)
    except OSError as error:
        raise InputError(f"{shown(sheet)} cannot be read: {(error.strerror or str(error)).lower()}") from None
    except PictureError as error:
        raise InputError(f"{shown(sheet)} {error}") from None


def _cut(pixels: Pixels, wish: CutWish) -> Cutting:
    if wish.islands:
        return cut_islands(pixels, wish.join)
    size = Size(pixels.shape[1], pixels.shape[0])
    cells, doubts = cells_of(size, wish.cell, wish.columns, wish.rows, wish.margin, wish.gap)
    cutting = cut_cells(pixels, cells, wish.keep_empty)
    return Cutting(cutting.pictures, cutting.rows, tuple(doubts))


def _write(folder: Path, pictures: dict[str, Pixels], executor: Executor) -> None:
    from .exports.output import staged
    from .exports.png import encode_png

    with staged(folder) as staging:
        for name, pixels in pictures.items():
            staging.write(name, encode_png(pixels, executor))
        staging.commit()
