"""What somebody painted on the sheets of the build before, for the build that takes its place."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from pathlib import Path
from typing import NamedTuple

from ..core.crate.check import check_crate
from ..core.crate.edits import Touch
from ..core.errors import InputError, OutputError
from ..core.message import Sentence, a_file, setting
from ..core.model.crate import Crate
from ..core.text import counted, few, shown
from ..format.files import ENDINGS, read_metadata, read_sides
from ..sources.edited_sheets import touched_sheets
from ..storage.previous_build import Before, is_written


class TouchesBefore(NamedTuple):
    """The touches of one size of the build before, by the names of frames; what of them belongs to no frame; and the
    sheets that they are on."""

    by_frame: dict[str, Touch]
    strayed: tuple[str, ...] = ()
    files: tuple[str, ...] = ()


def touches_before(folder: Path, name: str, before: Before) -> TouchesBefore:
    """The touches of one size of the build, which its crate's name tells; none where there was no such crate. Raises
    InputError where they cannot be told."""
    data = next((path for ending in ENDINGS if (path := str(folder / f"{name}{ending}")) in before.claimed), None)
    if data is None:
        return TouchesBefore({})
    crate = _before_the_merge(Path(data)) if Path(data).name in before.conflicts else read_metadata(data)
    for problem in check_crate(crate):
        raise InputError(f"{a_file(data)}: {problem}; the touches on its sheets cannot be told")
    sheets = list(touched_sheets(crate, folder))
    return TouchesBefore(
        {touch.frame.name: touch for sheet in sheets for touch in sheet.touches},
        tuple(
            f"{counted(sheet.strayed, 'painted pixel')} of {shown(sheet.image)} outside of all frames"
            for sheet in sheets
            if sheet.strayed
        ),
        tuple(str(folder / sheet.image) for sheet in sheets),
    )


def _before_the_merge(data: Path) -> Crate:
    """Return the side of a merge whose sheets exist, byte for byte as a build wrote it.

    Raises InputError if the merge joined lines of both sides: then frames of the other side would pass for edits.
    """
    sides = list(read_sides(data, sealed_only=True))
    if not sides:
        raise InputError(
            f"{a_file(str(data))} holds conflict markers from a merge, so edits on its sheets cannot be told; restore "
            "the metadata of the branch that the sheets are from"
        )
    there = [sum(is_written(data.parent / sheet.image, sheet.sha256) for sheet in side.sheets) for side in sides]
    return sides[there.index(max(there))]


def told_of_touches(found: Iterable[TouchesBefore], lost: Collection[str], force: bool) -> list[Sentence]:
    """A warning of each touch that the new build cannot carry. Raises OutputError for them without `force`."""
    strayed = [what for one in found for what in one.strayed]
    if lost:
        strayed.append(
            f"what was painted on {few(map(shown, dict.fromkeys(lost)))}: the source, or its place on the canvas, is "
            "not what it was then"
        )
    if strayed and not force:
        raise OutputError(
            f"{setting('keep_touches')} cannot keep {'; nor '.join(strayed)}; keep a copy of the sheets, and give "
            f"{setting('force')} to go on without"
        )
    return [Sentence(f"not kept: {what}") for what in strayed]
