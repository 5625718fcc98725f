"""Cut a sheet without metadata into frames in a folder."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from ..core.cut.bare_sheet import Cutting, cells_of, cut_boxes, cut_cells, cut_islands, opaque
from ..core.cut.figures import Parted
from ..core.errors import InputError, UsageError
from ..core.frame.options import ColorKey
from ..core.limits import Limits
from ..core.message import Message, a_file, message, setting
from ..core.model.geometry import Cells, Size
from ..core.motion.rename import checked_name
from ..core.pixels import Pixels
from ..core.text import counted
from ..exports.png import encode_png
from ..format.boxes import boxes_text, read_boxes
from ..pipeline.context import Context
from ..settings.naming import names
from ..settings.reader import whole
from ..settings.readers import color_key, size
from ..sources.sheets import read_bare_sheet
from ..storage.staging import refuse_existing, staged, write_alone
from .options import read_options


@dataclass(frozen=True, slots=True)
class CutOptions:
    """Ways to cut a sheet: by `cell`, by `columns` and `rows` (0 if not given), by `islands`, or by the file `boxes`.

    `split_touching` splits islands where figures touch, `name_rows` names the rows, `boxes_out` is a file for the boxes
    found, and `color_key` is removed first.
    """

    cell: Size | None = None
    columns: int = 0
    rows: int = 0
    margin: int = 0
    gap: int = 0
    keep_empty: bool = False
    islands: bool = False
    join: int = 1
    split_touching: bool = False
    boxes: str = ""
    name_rows: tuple[str, ...] = ()
    color_key: ColorKey | None = None
    boxes_out: str = ""


READERS: dict[str, Callable[[str], Any]] = {
    "cell": size, "columns": whole(1), "rows": whole(1), "margin": whole(0), "gap": whole(0), "keep_empty": bool,
    "islands": bool, "join": whole(1), "split_touching": bool, "boxes": str, "boxes_out": str, "name_rows": names,
    "color_key": color_key,
}  # fmt: skip
"""The reader of each option."""


def cut_options(given: Mapping[str, object]) -> CutOptions:
    """Read how a sheet is to be cut. Raises UsageError."""
    return CutOptions(**read_options(given, READERS))


@dataclass(frozen=True, slots=True)
class Cut:
    """The files that were written, or would be; the number in each row of the sheet, the figures that were separated,
    and warnings about the cut."""

    files: tuple[Path, ...]
    rows: tuple[int, ...]
    parted: tuple[Parted, ...]
    warnings: tuple[Message, ...]


def cut_sheet(
    sheet: str, folder: Path, options: CutOptions, context: Context, force: bool = False, dry_run: bool = False
) -> Cut:
    """Cut a sheet into frames and write them to `folder`, all or none. With `dry_run`, write the table of boxes alone.
    Raises the errors of `core.errors`."""
    check_options(options)
    _, pixels = read_bare_sheet(sheet, context.limits)
    frames, cutting = cut_up(sheet, pixels, options, context.limits)
    warnings = list(cutting.warnings)
    files = [f"{name}.png" for name in frames]
    if not force:
        refuse_existing(folder, files)
        if options.boxes_out:
            refuse_existing(Path(options.boxes_out).parent, [Path(options.boxes_out).name], "boxes_out")
    if not dry_run:
        with staged(folder) as staging:
            for name, picture in zip(files, cutting.pictures, strict=True):
                staging.write(name, encode_png(picture, context.pool))
            staging.commit()
        warnings = [*staging.notes, *warnings]
    if options.boxes_out:
        write_alone(options.boxes_out, boxes_text(zip(frames, cutting.boxes, strict=True)))
    return Cut(tuple(folder / name for name in files), cutting.rows, cutting.parted, tuple(warnings))


def cut_up(sheet: str, pixels: Pixels, options: CutOptions, limits: Limits) -> tuple[list[str], Cutting]:
    """Return the names of a sheet's frames, and the frames that cutting finds. Raises InputError and UsageError."""
    if options.color_key:
        from ..core.frame.color_key import keyed

        pixels = keyed(pixels, options.color_key)
    names, cutting = _cut(sheet, pixels, options, limits)
    if not cutting.pictures:
        raise InputError("{} shows nothing: every pixel is transparent", a_file(sheet))
    if options.islands and opaque(pixels):
        sentence = (
            "the sheet has no transparent pixels, so it is one island: name its background color with {color_key}, "
            "such as {color_key:corner}"
        )
        cutting = replace(cutting, warnings=(message(sentence),))
    return names, cutting


def cells_for(size: Size, options: CutOptions) -> Cells | None:
    """Return the cells of a sheet, or None if it is cut in another way."""
    if options.islands or options.boxes:
        return None
    return cells_of(size, options.cell, options.columns, options.rows, options.margin, options.gap)[0]


def check_options(options: CutOptions) -> None:
    """Raise UsageError unless the options choose one way to cut, and nothing that belongs to another."""
    ways = [bool(options.cell), bool(options.columns and options.rows), options.islands, bool(options.boxes)]
    if sum(ways) != 1 or (not ways[1] and (options.columns or options.rows)):
        raise UsageError(
            message("choose one way to cut the sheet: {cell}, {columns} with {rows}, {islands} or {boxes}")
        )
    strays = (
        ("split_touching", options.split_touching and not options.islands, "islands"),
        ("join", options.join != 1 and not options.islands, "islands"),
        ("margin", bool(options.margin) and not any(ways[:2]), "cell"),
        ("gap", bool(options.gap) and not any(ways[:2]), "cell"),
        ("keep_empty", options.keep_empty and not any(ways[:2]), "cell"),
    )
    for name, is_stray, other in strays:
        if is_stray:
            raise UsageError("{} goes with {}; leave it out", setting(name), setting(other))
    if options.boxes and options.name_rows:
        raise UsageError(message("{boxes} names every frame itself; leave {name_rows} out"))


def _cut(sheet: str, pixels: Pixels, options: CutOptions, limits: Limits) -> tuple[list[str], Cutting]:
    """The frames' names, without ending, and the pictures."""
    whole_sheet = Size(pixels.shape[1], pixels.shape[0])
    if options.boxes:
        named = read_boxes(options.boxes, whole_sheet, limits)
        return [name for name, _ in named], cut_boxes(pixels, [box for _, box in named])
    if options.islands:
        cutting = cut_islands(pixels, options.join, limits, options.split_touching)
    else:
        counts, spaces = (options.columns, options.rows), (options.margin, options.gap)
        cells, warnings = cells_of(whole_sheet, options.cell, *counts, *spaces)
        cutting = cut_cells(pixels, cells, options.keep_empty, limits, warnings)
    return _names(Path(sheet).stem, [count for count in cutting.rows if count], options.name_rows), cutting


def _names(stem: str, rows: Sequence[int], given: Sequence[str]) -> list[str]:
    """A name for each picture: by the sheet, all numbered through, or by its row, in a folder of that name."""
    if not given:
        width = max(2, len(str(sum(rows))))
        return [f"{stem}_{number:0{width}}" for number in range(1, sum(rows) + 1)]
    if len(given) != len(rows):
        raise UsageError(
            "{name_rows} has {}, and {} of the sheet {} frames: {}; name each",
            counted(len(given), "name"),
            counted(len(rows), "row"),
            "holds" if len(rows) == 1 else "hold",
            ", ".join(map(str, rows)),
        )
    width = max(2, len(str(max(rows))))
    return [
        f"{checked_name(name)}/{name.rpartition('/')[2]}_{number:0{width}}"
        for name, count in zip(given, rows, strict=True)
        for number in range(1, count + 1)
    ]
