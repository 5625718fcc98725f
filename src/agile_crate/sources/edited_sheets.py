"""Edits on written sheets, by frame."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from ..core.crate.check import check_repeated_edges, stray_report
from ..core.crate.edits import Edit, StrayPaint, edits_on, stray_paint
from ..core.errors import InputError
from ..core.limits import Limits
from ..core.message import Message, message
from ..core.model.crate import Crate
from ..core.text import quoted
from .sheets import read_sheet


class EditedSheet(NamedTuple):
    """A sheet that was edited: its image's name and digest, the edits on its frames, the paint outside of all frames,
    and the reason, with a fix, why a later proof would fail (empty if it would not)."""

    image: str
    sha256: str
    edits: tuple[Edit, ...]
    stray: StrayPaint
    problems: tuple[Message, ...] = ()


def edited_sheets(crate: Crate, folder: Path, limits: Limits) -> Iterator[EditedSheet]:
    """The sheets of a sound crate that carry edits. Raises InputError for sheets that cannot be read, or whose frames'
    original pixels are unknown."""
    for index, sheet in enumerate(crate.sheets):
        frames = [frame for frame in crate.frames if frame.on_sheet == index]
        is_known = any(frame.edited for frame in frames)
        found = read_sheet(folder, sheet, is_known, limits)
        if found.changed and not is_known:
            found = read_sheet(folder, sheet, True, limits)
        for problem in found.problems:
            raise InputError("{}; its edits cannot be found", problem)
        if found.pixels is None:
            continue
        if not all(frame.crc for frame in frames):
            raise InputError(
                f"sheet {quoted(sheet.image)}: its metadata lacks the crc of some frames, so edits cannot be found"
            )
        edits = tuple(edits_on(crate, index, found.pixels))
        stray = stray_paint(crate, index, found.pixels)
        problems = [
            message("{}; paint it alike", problem) for problem in check_repeated_edges(sheet, frames, found.pixels)
        ]
        if stray.pixels and not crate.adopted:
            problems.append(message("{}; erase them", stray_report(sheet, *stray)))
        yield EditedSheet(sheet.image, found.sha256, edits, stray, tuple(problems))
