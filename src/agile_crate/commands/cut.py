"""From a bare sheet to frames in a folder."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from pathlib import Path

from ..core.cut.bare_sheet import Cutting, Parted, cells_of, cut_boxes, cut_cells, cut_islands, opaque
from ..core.errors import InputError, UsageError
from ..core.frame.options import ColorKey
from ..core.message import Sentence, a_file, setting
from ..core.model.geometry import Size
from ..core.motion.rename import checked_name
from ..core.pixels import Pixels
from ..core.text import counted
from ..exports.png import encode_png
from ..format.boxes import boxes_text, read_boxes
from ..sources.sheets import read_bare_sheet
from ..storage.staging import refuse_existing, staged, write_alone


@dataclass(frozen=True, slots=True)
class CutWish:
    """How a sheet is to be cut: by `cell`, by `columns` and `rows` (0 if not given), by `islands`, those that touch
    parted if `part`, or by `boxes`, a file. `name_rows` are names for the rows, `boxes_out` is a file for the boxes
    that come of it. `color_key` is taken out first."""

    cell: Size | None = None
    columns: int = 0
    rows: int = 0
    margin: int = 0
    gap: int = 0
    keep_empty: bool = False
    islands: bool = False
    join: int = 1
    part: bool = False
    boxes: str = ""
    name_rows: tuple[str, ...] = ()
    color_key: ColorKey | None = None
    boxes_out: str = ""


@dataclass(frozen=True, slots=True)
class Cut:
    """The files that were written, or would be; how many lie in each row of the sheet, what was parted, and what is
    doubtful about the cut."""

    files: tuple[Path, ...]
    rows: tuple[int, ...]
    parted: tuple[Parted, ...]
    doubts: tuple[Sentence, ...]


def cut_sheet(
    sheet: str, folder: Path, wish: CutWish, executor: Executor, force: bool = False, dry_run: bool = False
) -> Cut:
    """Cuts a sheet into frames, written to `folder` all together or not at all, and with `dry_run` not at all; the
    table of boxes is written even then. Raises the errors of `core.errors`."""
    _check(wish)
    pixels = read_bare_sheet(sheet)
    if wish.color_key:
        from ..core.frame.color_key import keyed

        pixels = keyed(pixels, wish.color_key)
    names, cutting = _cut(sheet, pixels, wish)
    doubts = list(cutting.doubts)
    if wish.islands and opaque(pixels):
        doubts = [
            Sentence(
                "nothing of the sheet is transparent, so it is one island: say which colour is its background with "
                f"{setting('color_key')}, such as {setting('color_key', 'corner')}"
            )
        ]
    if not cutting.pictures:
        raise InputError(f"{a_file(sheet)} shows nothing: every pixel is transparent")
    files = [f"{name}.png" for name in names]
    if not force:
        refuse_existing(folder, files)
        if wish.boxes_out:
            refuse_existing(Path(wish.boxes_out).parent, [Path(wish.boxes_out).name], "boxes_out")
    if not dry_run:
        with staged(folder) as staging:
            for name, picture in zip(files, cutting.pictures, strict=True):
                staging.write(name, encode_png(picture, executor))
            staging.commit()
        doubts = [*staging.notes, *doubts]
    if wish.boxes_out:
        write_alone(wish.boxes_out, boxes_text(zip(names, cutting.boxes, strict=True)))
    return Cut(tuple(folder / name for name in files), cutting.rows, cutting.parted, tuple(doubts))


def _check(wish: CutWish) -> None:
    """Raises UsageError unless a wish says one way to cut, and nothing that belongs to another."""
    ways = [bool(wish.cell), bool(wish.columns and wish.rows), wish.islands, bool(wish.boxes)]
    if sum(ways) != 1 or (not ways[1] and (wish.columns or wish.rows)):
        raise UsageError(
            f"say how to cut the sheet, in one way: {setting('cell')}, or {setting('columns')} and {setting('rows')}, "
            f"or {setting('islands')}, or {setting('boxes')}"
        )
    strays = (
        ("part", wish.part and not wish.islands, "islands"),
        ("join", wish.join != 1 and not wish.islands, "islands"),
        ("margin", bool(wish.margin) and not any(ways[:2]), "cell"),
        ("gap", bool(wish.gap) and not any(ways[:2]), "cell"),
        ("keep_empty", wish.keep_empty and not any(ways[:2]), "cell"),
    )
    for name, is_stray, other in strays:
        if is_stray:
            raise UsageError(f"{setting(name)} goes with {setting(other)}; leave it out")
    if wish.boxes and wish.name_rows:
        raise UsageError(f"{setting('boxes')} names every frame itself; leave {setting('name_rows')} out")


def _cut(sheet: str, pixels: Pixels, wish: CutWish) -> tuple[list[str], Cutting]:
    """The frames' names, without ending, and the pictures."""
    size = Size(pixels.shape[1], pixels.shape[0])
    if wish.boxes:
        named = read_boxes(wish.boxes, size)
        return [name for name, _ in named], cut_boxes(pixels, [box for _, box in named])
    if wish.islands:
        cutting = cut_islands(pixels, wish.join, wish.part)
    else:
        cells, doubts = cells_of(size, wish.cell, wish.columns, wish.rows, wish.margin, wish.gap)
        cutting = cut_cells(pixels, cells, wish.keep_empty, doubts)
    return _names(Path(sheet).stem, [count for count in cutting.rows if count], wish.name_rows), cutting


def _names(stem: str, rows: Sequence[int], given: Sequence[str]) -> list[str]:
    """A name for each picture: by the sheet, all numbered through, or by its row, in a folder of that name."""
    if not given:
        width = max(2, len(str(sum(rows))))
        return [f"{stem}_{number:0{width}}" for number in range(1, sum(rows) + 1)]
    if len(given) != len(rows):
        raise UsageError(
            f"{setting('name_rows')} has {counted(len(given), 'name')}, and {counted(len(rows), 'row')} of the sheet "
            f"{'holds' if len(rows) == 1 else 'hold'} frames: {', '.join(map(str, rows))}; name each"
        )
    width = max(2, len(str(max(rows))))
    return [
        f"{checked_name(name)}/{name.rpartition('/')[2]}_{number:0{width}}"
        for name, count in zip(given, rows, strict=True)
        for number in range(1, count + 1)
    ]
