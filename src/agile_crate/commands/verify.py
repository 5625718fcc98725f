"""Prove that a crate's files hold the packed frames."""

from __future__ import annotations

import dataclasses
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import NamedTuple

import numpy as np

from ..core.crate.check import check_crate, check_gap_is_used, check_repeated_edges, restorable, stray_report
from ..core.crate.compare import difference, differing
from ..core.crate.edits import Edit, Edits, source_crc, stray_paint
from ..core.crate.restore import as_seen, as_seen_by_readers
from ..core.crate.skins import skins_of, with_skin
from ..core.errors import InputError
from ..core.frame.trim import visible_on_canvas
from ..core.frame.visible import on_canvas, overlap, within
from ..core.limits import Limits
from ..core.message import Message
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import ORIGIN, Box, Point
from ..core.model.sheet import Sheet
from ..core.pixels import Pixels
from ..core.text import counted, few, measured, quoted, shown
from ..crate_files.read import Comparison
from ..crate_files.spec import CrateSpec
from ..format.document import document_of, first_difference
from ..format.files import read_metadata, sha256_now, was_edited
from ..format.png_seal import seal_of
from ..pipeline.context import Context
from ..sources.edited_sheets import edited_sheets
from ..sources.sheets import FoundSheet, read_sheets
from ..storage.recovery import recover_interrupted
from .accept import forms_of
from .expected import NO_SOURCES, ROUNDING, Source, Sources, sources_of


@dataclass(frozen=True, slots=True)
class Verified:
    """The result of `verify`. `compared` counts the frames that have a source, `same` those that equal it, `edited`
    those of them that do but for edits that were taken into the metadata.

    `problems` are sentences on the written files; `differences` describe each frame that was not
    restored. Both are empty when all is well. `skins` are those that were compared, with how many frames came back.
    """

    crate: Crate = field(hash=False)
    compared: int
    same: int
    edited: int
    problems: tuple[str, ...]
    differences: tuple[FrameDifference, ...]
    warnings: tuple[Message, ...] = ()
    skins: Mapping[str, int] = field(default_factory=dict, hash=False)

    @property
    def ok(self) -> bool:
        """Return True if nothing is wrong."""
        return not self.problems and not self.differences


@dataclass(frozen=True, slots=True)
class FrameDifference:
    """A frame that was not restored, in a skin or the base: `what` is a sentence; the rest is set if single
    pixels differ."""

    frame: str
    what: str
    pixels: int = 0
    position: tuple[int, int] | None = None
    expected: tuple[int, ...] | None = None
    found: tuple[int, ...] | None = None
    skin: str = ""


def verify(data: str, comparison: Comparison, context: Context) -> Verified:
    """Check the written files, one sheet in memory at a time, and compare each frame with its source if inputs are
    given. With the spec of the crate, its skins are compared as well, and all that the crate file asks for.

    Raises InputError when the metadata itself, or a source, cannot be read.
    """
    notes = recover_interrupted(comparison.inputs, [Path(data)])
    crate = read_metadata(data, context.limits)
    folder = Path(os.path.abspath(data)).parent
    # Metadata that does not hold together may still be compared, frame by frame; but skins are other images in the same
    # boxes, so they are only looked at if the boxes make sense.
    is_broken = any(check_crate(crate))
    problems = [*_recorded_otherwise(data, crate, context.limits), *_changed_texts(data, crate, folder, context.limits)]
    problems += check_crate(crate)
    sources, edits = NO_SOURCES, dict[str, Edit]()
    if comparison.inputs:
        # Painted pixels are read from the sheets, so only sheets that the metadata vouches for may give any.
        edits = _edits(crate, folder, context.limits) if not problems else {}
        sources = sources_of(crate, folder / Path(data).name, comparison, edits, context)
        problems += [*sources.otherwise, *_other_skins(crate, comparison.spec)]
        problems += _odd_name(data, crate, folder, context.limits)
        if comparison.spec is None and skins_of(crate):
            notes.append(Message("its skins were not compared: that needs a crate file"))
    checks = _SheetChecks(crate, folder, sources, context)
    checks.run([""] if is_broken else ["", *skins_of(crate)])
    found = checks.differences
    if comparison.inputs:
        problems_of_frames, more = _compared_as_a_whole(crate, sources, edits, found)
        checks.problems += problems_of_frames
        checks.same[""] -= len({difference.frame for difference in more.after})
        found += [*more.before, *more.after]
    base = sources.by_variant.get("", {})
    wrong = {difference.frame for difference in found if not difference.skin}
    edited = sum(frame.edited and frame.name in base and frame.name not in wrong for frame in crate.frames)
    shared = sum(frame.name in base for frame in crate.frames)
    count = checks.same.pop("")
    return Verified(
        crate, shared, count, edited, (*problems, *checks.problems), tuple(found), (*notes, *checks.notes), checks.same
    )


class _More(NamedTuple):
    """Differences of frames that are missing, and of frames that came back."""

    before: list[FrameDifference]
    after: list[FrameDifference]


def _compared_as_a_whole(
    crate: Crate, sources: Sources, edits: Edits, found: Sequence[FrameDifference]
) -> tuple[list[str], _More]:
    """Compare the sets of frames. Pivots, shapes and mirrored frames may depend on all frames of an animation, so
    they are compared only if every frame was restored."""
    base = sources.by_variant.get("", {})
    names = {frame.name for frame in crate.frames}
    before = [FrameDifference(name, "has no source") for name in sorted(names - base.keys())]
    if left_out := sorted(base.keys() - names):
        return [f"{counted(len(left_out), 'source')} not in the crate: {few(left_out)}"], _More(before, [])
    # One wrong frame changes values taken from all frames, so every other frame would seem wrong too.
    if found or before:
        return [], _More(before, [])
    wrong = [*_misplaced(crate, base), *_not_mirrored(crate, base, sources.mirrored), *_untrue(crate, sources, edits)]
    return [], _More(before, wrong)


class _SheetChecks:
    """The sheets of a crate, checked one after the other, and its frames compared with their sources."""

    def __init__(self, crate: Crate, folder: Path, sources: Sources, context: Context) -> None:
        self.problems: list[str] = []
        self.notes: list[Message] = []
        self.differences: list[FrameDifference] = []
        self.same = dict.fromkeys(["", *sources.by_variant], 0)
        self._crate, self._folder, self._sources, self._context = crate, folder, sources, context
        self._placed: list[list[Frame]] = [[] for _ in crate.sheets]
        for frame in crate.frames:
            if frame.on_sheet < len(self._placed):
                self._placed[frame.on_sheet].append(frame)
            elif frame.name in sources.by_variant.get("", {}):
                self.differences.append(FrameDifference(frame.name, "cannot be restored: its sheet does not exist"))

    def run(self, names: Sequence[str]) -> None:
        """Check the sheets of these variants. One sheet is in memory at a time, and the next one on its way."""
        total = len(self._crate.sheets) * len(names)
        done = 0
        for name in names:
            crate = with_skin(self._crate, name) if name else self._crate
            own = self._sources.by_variant.get(name, {})
            sheets = self._folder, crate.sheets
            for index, (sheet, found) in enumerate(
                read_sheets(*sheets, bool(own), self._context.pool, self._context.limits)
            ):
                self._check(crate, name, index, sheet, found)
                done += 1
                self._context.progress("checking", done, total)

    def _check(self, crate: Crate, name: str, index: int, sheet: Sheet, found: FoundSheet) -> None:
        self.problems += [*found.problems, *filter(None, [found.changed])]
        self.notes += [Message(found.remark)] if found.remark else []
        here, own = self._placed[index], self._sources.by_variant.get(name, {})
        if found.pixels is not None and all(restorable(crate, frame) for frame in here):
            self.problems += _around_frames(crate, index, here, found.pixels)
        if own and not name:
            self.problems += check_gap_is_used(sheet, here)
        frames = [frame for frame in here if frame.name in own]
        compared = partial(
            _compared,
            crate=crate,
            sheet=found.pixels,
            sources=own,
            lost=self._sources.lost,
            is_joint=self._sources.is_joint,
        )
        for wrong in self._context.pool.map(compared, frames):
            self.same[name] += wrong is None
            self.differences += [dataclasses.replace(wrong, skin=name)] if wrong else []


def _around_frames(crate: Crate, index: int, frames: Sequence[Frame], pixels: Pixels) -> Iterator[str]:
    """Yield the faults of a sheet's pixels around its frames: repeated edges, and paint elsewhere."""
    sheet = crate.sheets[index]
    yield from check_repeated_edges(sheet, frames, pixels)
    if not crate.adopted and (stray := stray_paint(crate, index, pixels)).pixels:
        yield stray_report(sheet, *stray)


def _recorded_otherwise(data: str, crate: Crate, limits: Limits) -> Iterator[str]:
    """Yield where the same build's metadata in the other form, if it lies beside, says something else."""
    for path in forms_of(data)[1:]:
        try:
            place = first_difference(document_of(crate), document_of(read_metadata(path, limits)))
        except InputError as error:
            yield error.message
            continue
        if place:
            yield f"{shown(path.name)} says something else: {place}"


def _changed_texts(data: str, crate: Crate, folder: Path, limits: Limits) -> Iterator[str]:
    """The build's text files that were edited since. A missing one may have been moved."""
    names = [path.name for path in forms_of(data) if was_edited(path, limits)]
    for name, sha256 in crate.file_sha256.items():
        if sha256_now(folder / name, limits) not in ("", sha256):
            names.append(name)
    yield from (f"{shown(name)} was changed since it was written" for name in names)


def _other_skins(crate: Crate, spec: CrateSpec | None) -> Iterator[str]:
    names = [skin.name for skin in spec.variants[1:]] if spec else []
    if spec and sorted(names) != sorted(skins_of(crate)):
        listed = [few(map(quoted, some)) or "none" for some in (skins_of(crate), names)]
        yield f"its skins are {listed[0]}, and should be {listed[1]}"


def _edits(crate: Crate, folder: Path, limits: Limits) -> dict[str, Edit]:
    """Return what somebody painted on frames, as far as it was taken into the metadata."""
    if not any(frame.edited for frame in crate.frames):
        return {}
    edits = (edit for sheet in edited_sheets(crate, folder, limits) for edit in sheet.edits)
    return {edit.frame.name: edit for edit in edits if edit.frame.edited}


def _compared(
    frame: Frame, crate: Crate, sheet: Pixels | None, sources: dict[str, Source], lost: Sequence[str], is_joint: bool
) -> FrameDifference | None:
    """Return how a frame differs from its source before trimming, as whoever reads the crate sees it; None if it does
    not. `is_joint`: its box may hold more than its own trimming keeps."""
    source = sources[frame.name]
    canvas = source.packed.canvas
    if sheet is None:
        return FrameDifference(frame.name, "cannot be restored: its sheet cannot be used")
    if not restorable(crate, frame):
        return FrameDifference(frame.name, "cannot be restored: its box is wrong")
    if frame.name in lost:
        return FrameDifference(frame.name, "was edited, and its source is not what it was then")
    if frame.canvas != canvas:
        what = f"is {measured(frame.canvas)} in the crate, and {measured(canvas)} in its source"
        return FrameDifference(frame.name, what)
    whole, kept = source.untrimmed, source.kept
    expected = on_canvas(whole.pixels, whole.offset, whole.canvas)
    if source.trim_alpha:
        expected, faint = expected.copy(), expected[..., 3] <= source.trim_alpha
        inside = overlap(kept, Box(0, 0, *whole.canvas))
        faint[inside.y : inside.bottom, inside.x : inside.right] = False
        expected[faint] = 0
    if canvas != whole.canvas:  # offsets are forgotten: what was kept is the canvas now
        part = within(expected, kept)
        cut_off = int(np.count_nonzero(expected[..., 3])) - int(np.count_nonzero(part[..., 3]))
        if cut_off:
            return FrameDifference(frame.name, f"lost {counted(cut_off, 'visible pixel')} to trimming", cut_off)
        expected = on_canvas(part, ORIGIN, canvas)
    seen = as_seen(crate, sheet, frame)
    found = difference(as_seen_by_readers(expected, crate), seen)
    if found and is_joint and canvas == whole.canvas:  # a faint pixel that a skin's box holds is there, or not
        original = on_canvas(whole.pixels, whole.offset, whole.canvas)
        is_kept = faint & ~differing(as_seen_by_readers(original, crate), seen)
        expected[is_kept] = original[is_kept]
        found = difference(as_seen_by_readers(expected, crate), seen)
    if found is None:
        return None
    what = (
        f"differs in {counted(found.pixels, 'pixel')}, first at {found.x},{found.y}: "
        f"expected {_color(found.expected)}, found {_color(found.found)}"
    )
    return FrameDifference(frame.name, what, found.pixels, (found.x, found.y), found.expected, found.found)


def _misplaced(crate: Crate, sources: dict[str, Source]) -> Iterator[FrameDifference]:
    """Yield pivots and shapes that are not where they belong. Both may depend on all frames of an animation, so this is
    checked only if every frame was restored."""
    for frame in crate.frames:
        source = sources[frame.name].packed
        if frame.pivot != source.pivot:
            what = f"has its pivot at {_point(frame.pivot)}, and {_point(source.pivot)} is where it belongs"
            yield FrameDifference(frame.name, what)
        elif frame.shape != source.shape:
            yield FrameDifference(frame.name, "has a different shape from the one that its source gives")


def _untrue(crate: Crate, sources: Sources, edits: Edits) -> Iterator[FrameDifference]:
    """Yield frames whose `crc` or `edited` in the metadata is wrong."""
    for frame in crate.frames:
        crc = source_crc(crate, frame, sources.by_variant[""][frame.name].packed)
        if frame.edited and frame.name not in edits:
            yield FrameDifference(frame.name, "is marked as edited, but carries no edit")
        elif frame.crc and frame.crc != crc and not sources.is_joint:
            yield FrameDifference(frame.name, f"has the crc {frame.crc}, but its source has {crc}")


def _odd_name(data: str, crate: Crate, folder: Path, limits: Limits) -> Iterator[str]:
    """Yield a problem if neither the metadata file, nor a sheet, nor a sheet's seal has the crate's name."""
    names = [sheet.image for sheet in crate.sheets]
    if crate.name == Path(data).stem or any(name.startswith(crate.name) for name in names):
        return
    if crate.name not in {seal.crate for name in names if (seal := seal_of(folder / name, limits))}:
        yield f"its name is {quoted(crate.name)}, but its files have another name"


def _not_mirrored(
    crate: Crate, sources: dict[str, Source], pairs: Iterable[tuple[str, str]]
) -> Iterator[FrameDifference]:
    """Yield frames of mirrored animations that are not mirror images about the pivot.

    The check compares visible boxes and pivots alone. It repeats none of the steps that place frames on canvases.
    """
    frames = {frame.name: frame for frame in crate.frames}
    for name, other in pairs:
        mirrored, original = frames[name], frames[other]
        if mirrored.edited or original.edited:
            continue
        mirror_box, original_box = (_around_pivot(sources[frame.name]) for frame in (mirrored, original))
        if not (mirror_box and original_box):
            continue
        wanted = (-original_box[1], -original_box[0], original_box[2])
        if any(abs(is_ - should) > ROUNDING for is_, should in zip(mirror_box, wanted, strict=True)):
            yield FrameDifference(name, f"is not the mirror image of {quoted(other)} about its pivot")


def _around_pivot(source: Source) -> tuple[float, float, float] | None:
    """Return the left, right and top edge of a frame's visible box, relative to the pivot; None if it is empty."""
    box, pivot, whole = visible_on_canvas(source.untrimmed), source.packed.pivot, source.untrimmed.canvas
    if source.packed.canvas != whole:  # offsets are forgotten
        pivot = Point(pivot.x + source.kept.x, pivot.y + source.kept.y)
    return box and (box.x - pivot.x, box.right - pivot.x, box.y - pivot.y)


def _point(point: Point) -> str:
    return f"{point.x:g},{point.y:g}"


def _color(rgba: Sequence[int]) -> str:
    return "#" + "".join(f"{value:02x}" for value in rgba)
