"""`adopt`: write metadata for a sheet that was made elsewhere, whose pixels stay as they are."""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

from ..core.crate.check import check_crate
from ..core.crate.edits import crc_of, part_of, stray_paint
from ..core.crate.restore import as_seen
from ..core.cut.bare_sheet import Cutting, opaque
from ..core.errors import InputError, OutputError, UsageError
from ..core.frame.decode import DecodedFrame, Decoding, decoded
from ..core.frame.visible import cut_out
from ..core.limits import Limits
from ..core.message import Message, a_file, message, setting, some_files
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import ORIGIN, Box, Mirror, Size
from ..core.model.picture import Picture
from ..core.model.sheet import Sheet
from ..core.model.variant import base_of
from ..core.names import animations_of
from ..core.pixels import Pixels
from ..core.text import counted
from ..exports.texts import templates_of, text_names, texts_of
from ..format.files import ENDINGS, is_ours, outputs_of_build
from ..format.seal import binary_sha256
from ..pipeline.context import Context
from ..pipeline.describe import animations_of as described
from ..pipeline.job import LoadRequest
from ..pipeline.load import Frames, load_frames
from ..pipeline.prepare import decoding_of
from ..settings.adopted import ADOPTED
from ..settings.given import settings_from
from ..settings.table import GIVEN_ORDER, Settings
from ..sources.decode import DecodedPart
from ..sources.sheets import read_bare_sheet
from ..storage.previous_build import previous_build
from ..storage.staging import staged
from .cut import READERS, CutOptions, cells_for, check_options, cut_options, cut_up
from .pack import Packed


def adopt_options(given: Mapping[str, object]) -> tuple[CutOptions, Settings]:
    """Read how a sheet is to be cut, and the settings of its frames. Raises UsageError."""
    unknown = next((name for name in given if name not in READERS and name not in ADOPTED), None)
    if unknown:
        raise UsageError("{} cannot be used here: the sheet stays as it is", setting(unknown))
    own = {name: value for name, value in given.items() if name in ADOPTED}
    settings = settings_from({"order": GIVEN_ORDER[0], **own})
    if not settings.metadata:
        raise UsageError(message("{metadata:none} would write nothing; leave it out"))
    return cut_options({name: value for name, value in given.items() if name in READERS}), settings


def adopt(sheet: str, options: CutOptions, settings: Settings, context: Context, force: bool = False) -> Packed:
    """Write the metadata of a sheet next to it: the frames that cutting finds, as they lie.

    Raises the errors of `core.errors`; nothing is written then.
    """
    check_options(options)
    data, pixels = read_bare_sheet(sheet, context.limits)
    path = Path(os.path.abspath(sheet))
    whole = Sheet(path.name, Size(pixels.shape[1], pixels.shape[0]), sha256=binary_sha256(data))
    del data
    names, cutting = cut_up(sheet, pixels, options, context.limits)
    frames = load_frames(LoadRequest(base_of([sheet]), settings, parts=_parts(names, cutting, settings)), context)
    crate = _crate(path, _with_cells(whole, options, cutting, frames), frames, cutting, context)
    if options.color_key and opaque(pixels):
        crate = crate._replace(background=_ground(options, pixels))
    for problem in check_crate(crate):
        raise InputError("{}: {}; cut the sheet with unpack, and pack its frames", a_file(sheet), problem)
    crate = crate._replace(frames=tuple(_with_crc(crate, pixels, frame) for frame in crate.frames))
    files, deleted, notes = _write(path, crate, settings, context.limits, force)
    warnings = (*notes, *cutting.warnings, *frames.warnings, *_left_over(crate, pixels))
    remarks = frames.sizes[0].remarks
    return Packed(crate, files, deleted, {}, remarks, warnings, considered=(), bound=0, proven=False)


def _parts(names: Sequence[str], cutting: Cutting, settings: Settings) -> list[DecodedPart[DecodedFrame]]:
    """Return the pieces of a sheet as frames, in the order in which they lie on it."""
    decoding: Decoding = decoding_of((settings,))
    animations = animations_of(names, [name.rpartition("/")[0] for name in names])
    return [
        DecodedPart(animation, ((name, decoded(name, picture, decoding), None),))
        for name, animation, picture in zip(names, animations, cutting.pictures, strict=True)
    ]


def _with_cells(sheet: Sheet, options: CutOptions, cutting: Cutting, frames: Frames) -> Sheet:
    """Return the sheet with its cells, if all frames lie in the first ones, in order."""
    cells = cells_for(sheet.size, options)
    if cells is None:
        return sheet
    boxes = [cutting.boxes[frame.drawing] for sequence in frames.sequences for frame in sequence.frames]
    if len(boxes) > cells.count or boxes != [cells.box(index) for index in range(len(boxes))]:
        return sheet
    return sheet._replace(cells=cells, margin=cells.margin, gap=cells.gap)


def _crate(path: Path, sheet: Sheet, frames: Frames, cutting: Cutting, context: Context) -> Crate:
    prepared = frames.sizes[0]
    drawings = [frame.drawing for sequence in frames.sequences for frame in sequence.frames]
    pairs = zip(prepared.pictures, drawings, strict=True)
    found = tuple(_frame(picture, cutting.boxes[drawing]) for picture, drawing in pairs)
    animations = described(frames.sequences, prepared.settings)
    return Crate(path.stem, (sheet,), found, animations, generator=context.program, adopted=True)


def _ground(options: CutOptions, pixels: Pixels) -> str:
    key = options.color_key
    assert key is not None
    return key.color.hex if key.color else f"#{pixels[0, 0, 0]:02x}{pixels[0, 0, 1]:02x}{pixels[0, 0, 2]:02x}"


def _frame(picture: Picture, box: Box) -> Frame:
    """Return a frame whose canvas is its box on the sheet."""
    mirror: Mirror = "x" if picture.flipped else ""
    return Frame(picture.name, 0, box, picture.canvas, ORIGIN, picture.pivot, mirror=mirror)


def _with_crc(crate: Crate, pixels: Pixels, frame: Frame) -> Frame:
    return frame._replace(crc=crc_of(cut_out(as_seen(crate, pixels, frame), part_of(frame))))


def _left_over(crate: Crate, pixels: Pixels) -> list[Message]:
    stray = stray_paint(crate, 0, pixels).pixels
    return [Message(f"{counted(stray, 'visible pixel')} of the sheet are in no frame")] if stray else []


def _write(
    path: Path, crate: Crate, settings: Settings, limits: Limits, force: bool
) -> tuple[tuple[Path, ...], tuple[Path, ...], list[Message]]:
    """Write the texts of a crate; return their paths, those of deleted files of an earlier adoption, and notes."""
    templates = templates_of(settings.template, settings.set, limits)
    names = text_names(crate.name, settings.metadata, templates)
    files = tuple(path.parent / name for name in names)
    if len(names) > 1:
        crate = crate._replace(files=tuple(names))
    with staged(path.parent, path.stem) as staging:
        own = _earlier(path, limits)
        if not force:
            _refuse_others(files, own)
        for name, text in texts_of(crate, (), settings.metadata, templates, settings.compact):
            staging.write(name, [text])
        deleted = tuple(sorted(own.difference(files)))
        staging.commit(remove=[file.name for file in deleted])
        return files, deleted, list(staging.notes)


def _earlier(path: Path, limits: Limits) -> frozenset[Path]:
    """Return the unchanged files of an earlier adoption of a sheet; none if its metadata is of another origin."""
    metadata = [data for ending in ENDINGS if is_ours(data := path.with_suffix(ending))]
    if not all(outputs_of_build(data, limits).is_adopted for data in metadata):
        return frozenset()
    return frozenset(map(Path, previous_build(path.with_suffix(""), limits).own))


def _refuse_others(files: Sequence[Path], own: Collection[Path]) -> None:
    """Raise OutputError for existing files that are not ours."""
    foreign = [file.name for file in files if os.path.lexists(file) and file not in own]
    if foreign:
        exist, them = ("exists and is", "it") if len(foreign) == 1 else ("exist and are", "them")
        sentence = "{} already {} not from adopting this sheet; move {} away, or overwrite {} with {force}"
        raise OutputError(sentence, some_files(foreign), exist, them, them)
