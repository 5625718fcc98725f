"""Proving that a crate's files are what was packed."""

from __future__ import annotations

import dataclasses
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import numpy as np

from ..core.crate.check import check_crate, check_gap_is_used, check_repeated_edges, restorable, stray_told
from ..core.crate.compare import difference
from ..core.crate.edits import Touch, source_crc, strayed
from ..core.crate.restore import as_seen, as_seen_by_readers
from ..core.crate.skins import skins_of, with_skin
from ..core.errors import InputError
from ..core.frame.trim import visible_on_canvas
from ..core.frame.visible import on_canvas, overlap, within
from ..core.message import Sentence
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import ORIGIN, Box, Point
from ..core.model.variant import Skin
from ..core.pixels import Pixels
from ..core.text import counted, few, measured, quoted, shown
from ..crate_files.read import against_for
from ..format.document import document_of, first_difference
from ..format.files import read_metadata, sha256_now, was_edited
from ..format.png_seal import seal_of
from ..sources.edited_sheets import touched_sheets
from ..sources.sheets import read_sheets
from ..storage.recovery import settled
from ..workers.pool import Crew
from ..workers.progress import Progress, silent
from .accept import forms_of
from .expected import NO_SOURCES, Source, sources_of


@dataclass(frozen=True, slots=True)
class Verified:
    """What `verify` found. `compared` counts the frames that have a source, `same` those that equal it, `touched` those
    of them that do but for touches that were taken into the metadata.

    `problems` are sentences on the written files; `differences` say of each frame that does not come back what is
    wrong. Both are empty when all is well. `skins` are those that were compared, with how many frames came back.
    """

    crate: Crate
    compared: int
    same: int
    touched: int
    problems: tuple[str, ...]
    differences: tuple[FrameDifference, ...]
    warnings: tuple[Sentence, ...] = ()
    skins: Mapping[str, int] = field(default_factory=dict)

    @property
    def holds(self) -> bool:
        return not self.problems and not self.differences


@dataclass(frozen=True, slots=True)
class FrameDifference:
    """One frame that does not come back, in a skin or in the base: `what` is a sentence; the rest is there when single
    pixels differ."""

    frame: str
    what: str
    pixels: int = 0
    position: tuple[int, int] | None = None
    expected: tuple[int, ...] | None = None
    found: tuple[int, ...] | None = None
    skin: str = ""


def verify(data: str, against: Sequence[str], executor: Crew, progress: Progress = silent, font: str = "") -> Verified:
    """Checks the written files, one sheet in memory at a time, and compares each frame with its source if given. With
    the crate file of the crate among the inputs, its skins are compared as well, and all that the file asks for.
    `font` is that of text in drawings, where it does not lie beside the metadata or the frames.

    Raises InputError when the metadata itself, or a source, cannot be read.
    """
    asked = against_for(against, data, font)
    notes = settled(asked.inputs, [Path(data)])
    crate = read_metadata(data)
    folder = Path(os.path.abspath(data)).parent
    problems = [*_told_otherwise(data, crate), *_edited(data, crate, folder), *check_crate(crate)]
    all_sources, touches = NO_SOURCES, dict[str, Touch]()
    if against:
        touches = _touches(crate, folder) if not problems else {}
        all_sources = sources_of(crate, folder / Path(data).name, asked, touches, executor, progress)
        problems += [*all_sources.otherwise, *_other_skins(crate, asked.order.skins if asked.order else None)]
        problems += _odd_name(data, crate, folder)
        if asked.order is None and skins_of(crate):
            notes.append(Sentence("its skins are not compared: only a crate file tells what they were made of"))
    sources = all_sources.base
    placed: list[list[Frame]] = [[] for _ in crate.sheets]
    differences: list[FrameDifference] = []
    for frame in crate.frames:
        if frame.on_sheet < len(placed):
            placed[frame.on_sheet].append(frame)
        elif frame.name in sources:
            differences.append(FrameDifference(frame.name, "cannot be restored: there is no such sheet"))
    same = dict.fromkeys(["", *all_sources.skins], 0)
    names = [""] if any(problem for problem in check_crate(crate)) else ["", *skins_of(crate)]
    done, total = 0, len(crate.sheets) * len(names)
    for name in names:
        worn = with_skin(crate, name) if name else crate
        own = all_sources.skins.get(name, {}) if name else sources
        for index, (sheet, found) in enumerate(read_sheets(folder, worn.sheets, bool(own), executor)):
            problems += [*found.problems, *filter(None, [found.changed])]
            notes += [Sentence(found.remark)] if found.remark else []
            here = placed[index]
            if found.pixels is not None and all(restorable(worn, frame) for frame in here):
                problems += _around_frames(worn, index, here, found.pixels)
            if own and not name:
                problems += check_gap_is_used(sheet, here)
            frames = [frame for frame in here if frame.name in own]
            compared = partial(_compared, crate=worn, sheet=found.pixels, sources=own, lost=all_sources.lost)
            for found_wrong in executor.map(compared, frames):
                same[name] += found_wrong is None
                differences += [dataclasses.replace(found_wrong, skin=name)] if found_wrong else []
            done += 1
            progress("checking", done, total)
    shared = 0
    if against:
        there = {frame.name for frame in crate.frames}
        shared = len(there & sources.keys())
        differences += [FrameDifference(name, "has no source") for name in sorted(there - sources.keys())]
        left_out = sorted(sources.keys() - there)
        if left_out:
            problems.append(f"{counted(len(left_out), 'source')} not in the crate: {few(left_out)}")
        elif not differences:
            differences += [*_misplaced(crate, sources), *_not_mirrored(crate, sources, all_sources.mirrored)]
            differences += _untrue(crate, sources, touches)
            same[""] -= len({difference.frame for difference in differences})
    wrong = {difference.frame for difference in differences if not difference.skin}
    touched = sum(frame.touched and frame.name in sources and frame.name not in wrong for frame in crate.frames)
    count = same.pop("")
    return Verified(crate, shared, count, touched, tuple(problems), tuple(differences), tuple(notes), same)


def _around_frames(crate: Crate, index: int, frames: Sequence[Frame], pixels: Pixels) -> Iterator[str]:
    """Yield what is wrong with a sheet's pixels around its frames: repeated edges, and paint elsewhere."""
    sheet = crate.sheets[index]
    yield from check_repeated_edges(sheet, frames, pixels)
    if stray := strayed(crate, index, pixels):
        yield stray_told(sheet, stray)


def _told_otherwise(data: str, crate: Crate) -> Iterator[str]:
    """Where the same build's metadata in the other form, if it lies beside, says something else."""
    for path in forms_of(data)[1:]:
        try:
            place = first_difference(document_of(crate), document_of(read_metadata(path)))
        except InputError as error:
            yield error.sentence
            continue
        if place:
            yield f"{shown(path.name)} says something else: {place}"


def _edited(data: str, crate: Crate, folder: Path) -> Iterator[str]:
    """The build's text files that were changed since they were written. What is not there may have gone elsewhere."""
    names = [path.name for path in forms_of(data) if was_edited(path)]
    for name, sha256 in crate.file_sha256.items():
        if sha256_now(folder / name) not in ("", sha256):
            names.append(name)
    yield from (f"{shown(name)} was changed since it was written" for name in names)


def _other_skins(crate: Crate, skins: Sequence[Skin] | None) -> Iterator[str]:
    names = [skin.name for skin in skins or ()]
    if skins is not None and sorted(names) != sorted(skins_of(crate)):
        told = [few(map(quoted, some)) or "none" for some in (skins_of(crate), names)]
        yield f"its skins are {told[0]}, and should be {told[1]}"


def _touches(crate: Crate, folder: Path) -> dict[str, Touch]:
    """What somebody painted on frames, as far as it was taken into the metadata."""
    if not any(frame.touched for frame in crate.frames):
        return {}
    touches = (touch for sheet in touched_sheets(crate, folder) for touch in sheet.touches)
    return {touch.frame.name: touch for touch in touches if touch.frame.touched}


def _compared(
    frame: Frame, crate: Crate, sheet: Pixels | None, sources: dict[str, Source], lost: Sequence[str]
) -> FrameDifference | None:
    """How a frame differs from its source before trimming, as whoever reads the crate sees it; None if it does not."""
    source = sources[frame.name]
    canvas = source.packed.canvas
    if sheet is None:
        return FrameDifference(frame.name, "cannot be restored: its sheet cannot be used")
    if not restorable(crate, frame):
        return FrameDifference(frame.name, "cannot be restored: its box is wrong")
    if frame.name in lost:
        return FrameDifference(frame.name, "was touched, and its source is not what it was then")
    if frame.canvas != canvas:
        told = f"is {measured(frame.canvas)} in the crate, and {measured(canvas)} in its source"
        return FrameDifference(frame.name, told)
    whole, kept = source.untrimmed, source.kept
    expected = on_canvas(whole.pixels, whole.offset, whole.canvas)
    if source.alpha_floor:
        expected, faint = expected.copy(), expected[..., 3] <= source.alpha_floor
        inside = overlap(kept, Box(0, 0, *whole.canvas))
        faint[inside.y : inside.bottom, inside.x : inside.right] = False
        expected[faint] = 0
    if canvas != whole.canvas:  # offsets are forgotten: what was kept is the canvas now
        part = within(expected, kept)
        cut_off = int(np.count_nonzero(expected[..., 3])) - int(np.count_nonzero(part[..., 3]))
        if cut_off:
            return FrameDifference(frame.name, f"lost {counted(cut_off, 'visible pixel')} to trimming", cut_off)
        expected = on_canvas(part, ORIGIN, canvas)
    found = difference(as_seen_by_readers(expected, crate), as_seen(crate, sheet, frame))
    if found is None:
        return None
    told = (
        f"differs in {counted(found.pixels, 'pixel')}, first at {found.x},{found.y}: "
        f"expected {_colour(found.expected)}, found {_colour(found.found)}"
    )
    return FrameDifference(frame.name, told, found.pixels, (found.x, found.y), found.expected, found.found)


def _misplaced(crate: Crate, sources: dict[str, Source]) -> Iterator[FrameDifference]:
    """Pivots and shapes that are not where they belong. Both may hang on all frames of an animation, so this is asked
    only when every frame is there and came back."""
    for frame in crate.frames:
        source = sources[frame.name].packed
        if frame.pivot != source.pivot:
            told = f"has its pivot at {_point(frame.pivot)}, and {_point(source.pivot)} is where it belongs"
            yield FrameDifference(frame.name, told)
        elif frame.shape != source.shape:
            yield FrameDifference(frame.name, "has a different shape from the one that its source gives")


def _untrue(crate: Crate, sources: dict[str, Source], touches: Mapping[str, Touch]) -> Iterator[FrameDifference]:
    """Yield frames whose `crc` or `touched` in the metadata is wrong."""
    for frame in crate.frames:
        crc = source_crc(crate, frame, sources[frame.name].packed)
        if frame.touched and frame.name not in touches:
            yield FrameDifference(frame.name, "is marked as touched, but carries no edit")
        elif frame.crc and frame.crc != crc:
            yield FrameDifference(frame.name, f"has the crc {frame.crc}, but its source has {crc}")


def _odd_name(data: str, crate: Crate, folder: Path) -> Iterator[str]:
    """Yield a problem if neither the metadata file, nor a sheet, nor a sheet's seal has the crate's name."""
    names = [sheet.image for sheet in crate.sheets]
    if crate.name == Path(data).stem or any(name.startswith(crate.name) for name in names):
        return
    if crate.name not in {seal.crate for name in names if (seal := seal_of(folder / name))}:
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
        if mirrored.touched or original.touched:
            continue
        mine, its = (_around_pivot(sources[frame.name]) for frame in (mirrored, original))
        if mine and its and mine != (-its[1], -its[0], its[2]):
            yield FrameDifference(name, f"is not the mirror image of {quoted(other)} about its pivot")


def _around_pivot(source: Source) -> tuple[float, float, float] | None:
    """Return the left, right and top edge of a frame's visible box, relative to the pivot; None if it is empty."""
    box, pivot, whole = visible_on_canvas(source.untrimmed), source.packed.pivot, source.untrimmed.canvas
    if source.packed.canvas != whole:  # offsets are forgotten
        pivot = Point(pivot.x + source.kept.x, pivot.y + source.kept.y)
    return box and (box.x - pivot.x, box.right - pivot.x, box.y - pivot.y)


def _point(point: Point) -> str:
    return f"{point.x:g},{point.y:g}"


def _colour(rgba: Sequence[int]) -> str:
    return "#" + "".join(f"{value:02x}" for value in rgba)
