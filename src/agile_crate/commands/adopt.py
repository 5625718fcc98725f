"""`adopt`: write metadata for a sheet that was made elsewhere, whose pixels stay as they are."""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from ..core.crate.check import check_crate
from ..core.crate.edits import crc_of, part_of, stray_paint
from ..core.crate.restore import as_seen
from ..core.cut.bare_sheet import Cutting, opaque
from ..core.errors import InputError, OutputError, UsageError
from ..core.frame.decode import DecodedFrame, Decoding, decoded
from ..core.limits import Limits
from ..core.message import Message, a_file, message, setting, some_files
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import ORIGIN, Mirror, Size
from ..core.model.picture import Picture
from ..core.model.sheet import Sheet
from ..core.model.variant import base_of
from ..core.names import animations_of
from ..core.pixels import Pixels
from ..core.text import counted
from ..exports.texts import texts_of
from ..format.files import ENDINGS, is_ours, outputs_of_build
from ..format.regular import read_regular
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
from ..storage.previous_build import previous_build
from ..storage.staging import staged
from .cut import READERS, CutOptions, cells_for, check_options, cut_options, cut_up

if TYPE_CHECKING:
    from ..exports.template import Template


@dataclass(frozen=True, slots=True)
class Adopted:
    """The crate of a sheet, the files that were written, and remarks and warnings for the user."""

    crate: Crate = field(hash=False)
    files: tuple[Path, ...]
    remarks: tuple[Message, ...]
    warnings: tuple[Message, ...]


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


def adopt(sheet: str, options: CutOptions, settings: Settings, context: Context, force: bool = False) -> Adopted:
    """Write the metadata of a sheet next to it: the frames that cutting finds, as they lie.

    Raises the errors of `core.errors`; then nothing is written.
    """
    check_options(options)
    names, cutting, pixels = cut_up(sheet, options, context.limits)
    if not cutting.pictures:
        raise InputError("{} shows nothing: every pixel is transparent", a_file(sheet))
    frames = load_frames(LoadRequest(base_of([sheet]), settings, parts=_parts(names, cutting, settings)), context)
    path = Path(os.path.abspath(sheet))
    digest = binary_sha256(read_regular(path, context.limits, "file_bytes"))
    whole = Sheet(path.name, Size(pixels.shape[1], pixels.shape[0]), sha256=digest)
    crate = _crate(path, _with_cells(whole, options, cutting, frames), frames, cutting, context)
    if options.color_key and opaque(pixels):
        crate = crate._replace(background=_ground(options, pixels))
    for problem in check_crate(crate):
        raise InputError("{}: {}; cut the sheet with unpack, and pack its frames", a_file(sheet), problem)
    crcs = [crc_of(_shown(crate, pixels, frame)) for frame in crate.frames]
    pairs = zip(crate.frames, crcs, strict=True)
    crate = crate._replace(frames=tuple(frame._replace(crc=crc) for frame, crc in pairs))
    files, notes = _written(path, crate, settings, context.limits, force)
    warnings = (*notes, *cutting.warnings, *frames.warnings, *_left_over(crate, pixels))
    return Adopted(crate, files, frames.sizes[0].remarks, warnings)


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
    described_frames = tuple(
        Frame(picture.name, 0, cutting.boxes[drawing], picture.canvas, ORIGIN, picture.pivot, mirror=_mirror(picture))
        for picture, drawing in zip(prepared.pictures, drawings, strict=True)
    )
    animations = described(frames.sequences, prepared.settings)
    return Crate(path.stem, (sheet,), described_frames, animations, generator=context.program, adopted=True)


def _mirror(picture: Picture) -> Mirror:
    return "x" if picture.flipped else ""


def _ground(options: CutOptions, pixels: Pixels) -> str:
    key = options.color_key
    assert key is not None
    return key.color.hex if key.color else f"#{pixels[0, 0, 0]:02x}{pixels[0, 0, 1]:02x}{pixels[0, 0, 2]:02x}"


def _shown(crate: Crate, pixels: Pixels, frame: Frame) -> Pixels:
    part = part_of(frame)
    return as_seen(crate, pixels, frame)[part.y : part.bottom, part.x : part.right]


def _left_over(crate: Crate, pixels: Pixels) -> list[Message]:
    stray = stray_paint(crate, 0, pixels).pixels
    return [Message(f"{counted(stray, 'visible pixel')} of the sheet are in no frame")] if stray else []


def _written(
    path: Path, crate: Crate, settings: Settings, limits: Limits, force: bool
) -> tuple[tuple[Path, ...], list[Message]]:
    """Write the texts of a crate; return their paths, and notes."""
    templates: tuple[Template, ...] = ()
    if settings.template:
        from ..exports.template import read_templates

        templates = read_templates(settings.template, settings.set, limits)
    with staged(path.parent, path.stem) as staging:
        texts = list(texts_of(crate, (), settings.metadata, templates, settings.compact))
        if len(texts) > 1:
            crate = crate._replace(files=tuple(name for name, _ in texts))
            texts = list(texts_of(crate, (), settings.metadata, templates, settings.compact))
        files = tuple(path.parent / name for name, _ in texts)
        own = _earlier(path, limits)
        if not force:
            _refuse_others(files, own)
        for name, text in texts:
            staging.write(name, [text])
        staging.commit(remove=[file.name for file in own if file not in files])
        return files, list(staging.notes)


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
