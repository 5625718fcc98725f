"""Proving that a crate's files are what was packed."""

from __future__ import annotations

import dataclasses
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import NamedTuple

import numpy as np

from ..core.crate.check import check_crate, check_repeated_edges, restorable, stray_told
from ..core.crate.compare import difference
from ..core.crate.restore import as_seen, as_seen_by_readers
from ..core.crate.skins import skins_of, with_skin
from ..core.crate.touches import Touch, strayed
from ..core.errors import InputError, UsageError
from ..core.frame.trim import visible_on_canvas
from ..core.frame.visible import on_canvas, overlap, within
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import ORIGIN, Box, Offset, Point
from ..core.model.picture import Picture, Sequences
from ..core.pixels import Pixels
from ..core.rounding import plain
from ..core.sentence import Sentence, a_file, setting
from ..core.text import counted, few, measured, quoted, shown
from ..format.document import document_of, first_difference
from ..format.files import read_metadata, sha256_now, was_edited
from ..settings.given import settings_from
from ..settings.portions import at_portion
from ..settings.skins import Skin
from ..settings.table import Settings
from ..sources.sheets import read_sheets
from ..sources.touched_sheets import touched_sheets
from ..stops.describe import animations_of
from ..stops.intake import intake
from ..stops.prepare import Prepared, Untrimmed
from ..workers.crew import Crew
from ..workers.progress import Progress, silent
from .accept import forms_of
from .settled import settled


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


def verify(
    data: str,
    against: Sequence[str],
    executor: Crew,
    progress: Progress = silent,
    skins: Sequence[Skin] | None = None,
    font: str = "",
) -> Verified:
    """Checks the written files, one sheet in memory at a time, and compares each frame with its source if given; those
    of the `skins` with theirs, where it is known what they were made of. `font` is that of text in drawings, where it
    does not lie beside the metadata or the frames.

    Raises InputError when the metadata itself, or a source, cannot be read.
    """
    notes = settled(against, [Path(data)])
    crate = read_metadata(data)
    folder = Path(os.path.abspath(data)).parent
    problems = [*_told_otherwise(data, crate), *_edited(data, crate, folder), *check_crate(crate)]
    all_sources = Sources({}, {}, (), [])
    if against:
        touches = _touches(crate, folder) if not problems else {}
        name = Path(data).name
        all_sources = _sources(against, crate, folder, name, executor, progress, touches, skins or (), font)
        problems += [*all_sources.otherwise, *_other_skins(crate, skins)]
        if skins is None and skins_of(crate):
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
                problems += check_repeated_edges(sheet, here, found.pixels)
                if stray := strayed(worn, index, found.pixels):
                    problems.append(stray_told(sheet, stray))
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
            same[""] -= len(differences)
    wrong = {difference.frame for difference in differences if not difference.skin}
    touched = sum(frame.touched and frame.name in sources and frame.name not in wrong for frame in crate.frames)
    count = same.pop("")
    return Verified(crate, shared, count, touched, tuple(problems), tuple(differences), tuple(notes), same)


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


def _touches(crate: Crate, folder: Path) -> dict[str, Touch]:
    """What somebody painted on frames, as far as it was taken into the metadata."""
    if not any(frame.touched for frame in crate.frames):
        return {}
    touches = (touch for sheet in touched_sheets(crate, folder) for touch in sheet.touches)
    return {touch.frame.name: touch for touch in touches if touch.frame.touched}


class Source(NamedTuple):
    """What a frame should come back as: the picture that was packed, the one before trimming, the part of its canvas
    that trimming kept, and the alpha up to which it may lose what lies outside."""

    packed: Picture
    untrimmed: Picture
    kept: Box
    alpha_floor: int


class Sources(NamedTuple):
    """What frames should come back as, by name: the base's and those of each skin. `lost` are the names of frames whose
    sources are not what they were when somebody painted on them; `otherwise` is what the crate says of scale and
    animations that its settings and sources do not. `mirrored` are pairs of names: a mirrored frame, and the frame that
    it mirrors about its pivot."""

    base: dict[str, Source]
    skins: dict[str, dict[str, Source]]
    lost: tuple[str, ...]
    otherwise: list[str]
    mirrored: tuple[tuple[str, str], ...] = ()


def _other_skins(crate: Crate, skins: Sequence[Skin] | None) -> Iterator[str]:
    names = [skin.name for skin in skins or ()]
    if skins is not None and sorted(names) != sorted(skins_of(crate)):
        told = [few(map(quoted, some)) or "none" for some in (skins_of(crate), names)]
        yield f"its skins are {told[0]}, and should be {told[1]}"


def _sources(
    against: Sequence[str],
    crate: Crate,
    folder: Path,
    data: str,
    executor: Crew,
    progress: Progress,
    touches: dict[str, Touch],
    skins: Sequence[Skin],
    font: str,
) -> Sources:
    images = [image for sheet in crate.sheets for image in (sheet.image, *(skin.image for skin in sheet.skins))]
    own = frozenset(str(folder / name) for name in [data, *images])
    settings = _settings_of(crate, data)
    if settings.font:
        settings = dataclasses.replace(settings, font=font or _font(settings.font, [".", str(folder), *against]))
    by_size = {settings.portion: touches}
    taken_in = intake(against, own, settings, executor, progress, for_proof=True, touches=by_size, skins=skins)
    (prepared,) = taken_in.sizes
    otherwise = list(_otherwise(crate, taken_in.sequences, prepared))
    floor = prepared.settings.alpha_floor

    def by_name(pictures: Sequence[Picture], untrimmed: Sequence[Untrimmed], least: int) -> dict[str, Source]:
        pairs = zip(pictures, untrimmed, strict=True)
        return {packed.name: Source(packed, picture, kept, least) for packed, (picture, kept) in pairs}

    return Sources(
        by_name(prepared.pictures, prepared.untrimmed, floor),
        {skin.name: by_name(skin.pictures, skin.untrimmed, 255 if skin.plain else floor) for skin in prepared.skins},
        prepared.lost,
        otherwise,
        tuple(_mirrored_pairs(taken_in.sequences, prepared.settings)),
    )


def _mirrored_pairs(sequences: Sequences, settings: Settings) -> Iterator[tuple[str, str]]:
    """Each frame of a mirrored animation, and the one that it mirrors, unless it has a shift or a pivot of its own."""
    by_name = {sequence.name: sequence for sequence in sequences}
    for sequence in sequences:
        if sequence.making != "mirrored" or sequence.origin not in by_name:
            continue
        shift, pivot = settings.shift.of(sequence.origin), settings.pivot.of(sequence.origin)
        mirrored = shift and Offset(-shift.x, shift.y), pivot and pivot.mirrored
        if mirrored == (settings.shift.of(sequence.name), settings.pivot.of(sequence.name)):
            frames = sequence.frames, by_name[sequence.origin].frames
            yield from ((mine.name, its.name) for mine, its in zip(*frames, strict=True))


def _otherwise(crate: Crate, sequences: Sequences, prepared: Prepared) -> Iterator[str]:
    """Where the crate's scale, or its animations, are not what settings and sources make them. Animations may name
    fewer frames, or others, only if sources are missing, which is told elsewhere."""
    if crate.scale != (scale := plain(prepared.factor)):
        yield f"scale is {crate.scale}, and its settings make it {scale}"
    names = [frame.name for sequence in sequences for frame in sequence.frames]
    if {frame.name for frame in crate.frames} != set(names):
        return
    wanted = animations_of(sequences, prepared.settings)
    if [one.name for one in crate.animations] != [one.name for one in wanted]:
        told = (few(quoted(one.name) for one in some) or "none" for some in (crate.animations, wanted))
        yield "the animations are {}, and should be {}".format(*told)
        return
    for mine, its in zip(crate.animations, wanted, strict=True):
        frames = [crate.frames[index].name for index in mine.frames if index < len(crate.frames)]
        pairs = (
            ("frames", frames, [names[index] for index in its.frames]),
            *((key, getattr(mine, key), getattr(its, key)) for key in ("durations", "loop", "times", "fps", "beats")),
        )
        wrong = [key for key, is_, should in pairs if is_ != should and not (key in ("fps", "beats") and not is_)]
        if wrong:
            yield f"animation {quoted(mine.name)} has other {few(wrong)} than its settings and sources make"


def _settings_of(crate: Crate, data: str) -> Settings:
    """The settings by which the crate's frames were taken, as its metadata records them."""
    try:
        settings = settings_from(crate.settings)
        if isinstance(settings.palette, str) and settings.palette:
            raise UsageError("palette: only colours are recorded, such as #201830,#f0f0f0")
        return at_portion(settings, settings.also_scale[0]) if settings.also_scale else settings
    except UsageError as error:
        raise InputError(f"{a_file(data)}: settings: {error}") from None


def _font(name: str, places: Iterable[str]) -> str:
    """A font by its name, looked for in some folders, or beside some files. Raises InputError."""
    for place in places:
        for folder in (place, os.path.dirname(place)):
            if os.path.isfile(path := os.path.join(folder, name)):
                return path
    raise InputError(f"the font {quoted(name)} is not beside the frames; say where it is with {setting('font')}")


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


def _not_mirrored(
    crate: Crate, sources: dict[str, Source], pairs: Iterable[tuple[str, str]]
) -> Iterator[FrameDifference]:
    """Frames of mirrored animations that do not stand where the mirror image about the pivot stands.

    This looks at what is visible and at pivots alone, and repeats none of the steps that put frames on canvases.
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
    """What is visible of a frame: its left and right edge and its top, counted from the pivot; None if nothing is."""
    box, pivot, whole = visible_on_canvas(source.untrimmed), source.packed.pivot, source.untrimmed.canvas
    if source.packed.canvas != whole:  # offsets are forgotten
        pivot = Point(pivot.x + source.kept.x, pivot.y + source.kept.y)
    return box and (box.x - pivot.x, box.right - pivot.x, box.y - pivot.y)


def _point(point: Point) -> str:
    return f"{point.x:g},{point.y:g}"


def _colour(rgba: Sequence[int]) -> str:
    return "#" + "".join(f"{value:02x}" for value in rgba)
