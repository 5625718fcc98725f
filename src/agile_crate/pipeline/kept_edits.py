"""Edits on the previous build's sheets, for the build that replaces it."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from ..core.crate.check import check_crate
from ..core.crate.edits import Edits
from ..core.errors import InputError, OutputError
from ..core.limits import Limits
from ..core.message import Message, a_file, message, setting
from ..core.model.crate import Crate
from ..core.text import counted, few, shown
from ..format.files import ENDINGS, read_metadata, read_sides
from ..storage.previous_build import PreviousBuild, is_written

if TYPE_CHECKING:
    from ..sources.edited_sheets import EditedSheet


class PreviousEdits(NamedTuple):
    """Edits on the sheets of the previous build.

    crates      the names of the crates, one of each size, whose sheets are looked at
    by_portion  the edits of each size, by the names of frames
    stray       sentences about paint that belongs to no frame
    carried     absolute paths of the sheets of sizes without such paint
    """

    crates: frozenset[str]
    by_portion: Mapping[Fraction, Edits]
    stray: tuple[Message, ...] = ()
    carried: frozenset[str] = frozenset()

    def report(self, lost: Collection[str], force: bool) -> list[Message]:
        """Return a warning about each edit that the new build cannot carry. Raises OutputError for them unless `force`
        is given."""
        stray = list(map(Message, self.stray))
        if lost:
            what = f"what was painted on {few(map(shown, dict.fromkeys(lost)))}"
            stray.append(Message(f"{what}: the source, or its place on the canvas, is not what it was then"))
        if stray and not force:
            raise OutputError(
                "{keep_edits} cannot keep {}; keep a copy of the sheets, and give {force} to go on without",
                message("; nor ".join(["{}"] * len(stray)), *stray),
            )
        return [message("not kept: {}", what) for what in stray]


NO_EDITS = PreviousEdits(frozenset(), {})


def previous_edits(
    folder: Path, names: Mapping[Fraction, str], previous: PreviousBuild, limits: Limits
) -> PreviousEdits:
    """Return the edits of the previous build; `names` are those of the crates of its sizes. Raises InputError if they
    cannot be found."""
    by_portion: dict[Fraction, Edits] = {}
    stray: list[Message] = []
    carried: list[str] = []
    for portion, name in names.items():
        sheets = _edited_sheets(folder, name, previous, limits)
        by_portion[portion] = {edit.frame.name: edit for sheet in sheets for edit in sheet.edits}
        found = [_stray(sheet) for sheet in sheets if sheet.stray.pixels]
        stray += found
        carried += [] if found else [str(folder / sheet.image) for sheet in sheets]
    return PreviousEdits(frozenset(names.values()), by_portion, tuple(stray), frozenset(carried))


def _stray(sheet: EditedSheet) -> Message:
    what = f"{counted(sheet.stray.pixels, 'painted pixel')} of {shown(sheet.image)} outside of all frames"
    if not sheet.stray.cushion:
        return Message(what)
    return message("{} ({} makes room)", what, setting("cushion", sheet.stray.cushion))


def _edited_sheets(folder: Path, name: str, previous: PreviousBuild, limits: Limits) -> list[EditedSheet]:
    """Return the sheets with edits of one size; none if it was not built."""
    data = next((path for ending in ENDINGS if (path := str(folder / f"{name}{ending}")) in previous.claimed), None)
    if data is None:
        return []
    from ..sources.edited_sheets import edited_sheets  # loads Pillow, and few builds have edits

    is_merged = Path(data).name in previous.conflicts
    crate = _before_the_merge(Path(data), limits) if is_merged else read_metadata(data, limits)
    for problem in check_crate(crate):
        raise InputError("{}: {}; the edits on its sheets cannot be found", a_file(data), problem)
    return list(edited_sheets(crate, folder, limits))


def _before_the_merge(data: Path, limits: Limits) -> Crate:
    """Return the side of a merge whose sheets exist, byte for byte as a build wrote it.

    Raises InputError if the merge joined lines of both sides: then frames of the other side would pass for edits.
    """
    sides = list(read_sides(data, limits, sealed_only=True))
    if not sides:
        raise InputError(
            "{} holds conflict markers from a merge, so edits on its sheets cannot be found; restore the "
            "metadata of the branch that the sheets are from",
            a_file(str(data)),
        )
    counts = [
        sum(is_written(data.parent / sheet.image, sheet.sha256, None, limits) for sheet in side.sheets)
        for side in sides
    ]
    return sides[counts.index(max(counts))]
