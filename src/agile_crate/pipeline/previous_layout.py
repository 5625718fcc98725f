"""The previous build's layout, in which frames may have to stay, even if a merge left conflicts in its metadata."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

from ..core.crate.check import restorable
from ..core.crate.edits import edits_on, part_of, source_crc
from ..core.crate.file_names import sized_name
from ..core.errors import InputError
from ..core.frame.visible import overlap
from ..core.limits import Limits
from ..core.message import Message, message, some_files
from ..core.model.crate import Crate, Frame
from ..core.model.geometry import Box, Size
from ..core.model.picture import Picture
from ..core.text import few, shown
from ..format.files import ENDINGS, read_metadata, read_sides
from ..settings.table import Settings
from ..sources.sheets import read_sheet
from ..storage.previous_build import PreviousBuild


def previous_layout(target: Path, settings: Settings, previous: PreviousBuild, limits: Limits) -> Crate | None:
    """Return the previous crate of this size of the build, or None if it cannot be read.

    If its metadata is in conflict, only the frames that the existing sheets hold count.
    """
    for path in _forms(target, settings):
        if path.name in previous.conflicts:
            sides = [_as_before(side, path.parent, limits) for side in read_sides(path, limits)]
            if any(side.frames for side in sides):
                return max(sides, key=lambda side: len(side.frames))
        elif path.is_file():
            try:
                return read_metadata(path, limits)
            except InputError:  # no places to keep
                continue
    return None


def with_new_names(previous: Crate, names: Sequence[str], pictures: Sequence[Picture]) -> Crate:
    """Return the previous crate with the new names of frames that were only renamed: those whose canvas and pixels a
    frame without a previous place has now. Cost: one CRC of each new frame that fits the place of a missing one."""
    missing: dict[tuple[Size, Box], list[Frame]] = defaultdict(list)
    wanted = set(names)
    for frame in previous.frames:
        if frame.crc and frame.name not in wanted:
            missing[frame.canvas, part_of(frame)].append(frame)
    known, renamed = {frame.name for frame in previous.frames}, dict[str, str]()
    for name, picture in zip(names, pictures, strict=True) if missing else ():
        candidates = missing[picture.canvas, overlap(picture.stored_box, Box(0, 0, *picture.canvas))]
        if name in known or not candidates:
            continue
        crc = source_crc(previous, candidates[0], picture)
        if same := [frame for frame in candidates if frame.crc == crc]:
            candidates.remove(same[0])
            renamed[same[0].name] = name
    return previous._replace(
        frames=tuple(frame._replace(name=renamed.get(frame.name, frame.name)) for frame in previous.frames)
    )


def report_damage(
    target: Path, previous: PreviousBuild, made: Iterable[tuple[Settings, Crate]], limits: Limits
) -> Iterator[Message]:
    """Yield warnings about metadata that could not be read, and about the frames that moved as a result."""
    if previous.conflicts:
        holds, it_is = ("holds", "it is") if len(previous.conflicts) == 1 else ("hold", "they are")
        names = some_files(previous.conflicts)
        yield message("{} {} conflict markers from a merge; {} written anew", names, holds, it_is)
    for settings, crate in made:
        if not settings.keep_places:
            continue
        both = _forms(target, settings)
        if previous.proven and not any(path.exists() for path in both):
            yield message("{keep_places}: {} is missing, so any frame may have moved", shown(both[0].name))
        forms = [path for path in both if path.name in (*previous.conflicts, *previous.damaged)]
        if not forms:
            continue
        sides = list(read_sides(forms[0], limits))
        moved = dict.fromkeys(name for side in sides for name in _moved(side, crate))
        if moved:
            name = shown(crate.name)
            yield message(
                "{}: frames that moved since the last build of either branch: {}", name, few(map(shown, moved))
            )
        elif not sides:
            name = some_files([forms[0].name])
            yield message("{keep_places}: {} could not be read, so any frame may have moved", name)


def _forms(target: Path, settings: Settings) -> list[Path]:
    return [target.parent / (sized_name(target.name, settings.portion) + ending) for ending in ENDINGS]


def _as_before(side: Crate, folder: Path, limits: Limits) -> Crate:
    """Return a side of a merge with only the frames that the existing sheets hold, pixel for pixel."""
    frames: list[Frame] = []
    for index, sheet in enumerate(side.sheets):
        pixels = read_sheet(folder, sheet, True, limits).pixels
        if pixels is not None:
            here = [frame for frame in side.frames if frame.on_sheet == index and restorable(side, frame)]
            edited = {edit.frame.name for edit in edits_on(side._replace(frames=tuple(here)), index, pixels)}
            frames += [frame for frame in here if frame.name not in edited]
    return side._replace(frames=tuple(frames))


def _moved(old: Crate, new: Crate) -> list[str]:
    """Return the frames whose places changed."""
    places = {frame.name: (frame.on_sheet, frame.box[:2], frame.turned) for frame in old.frames}
    return [
        frame.name
        for frame in new.frames
        if frame.name in places and places[frame.name] != (frame.on_sheet, frame.box[:2], frame.turned)
    ]
