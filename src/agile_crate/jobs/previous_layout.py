"""The layout of the build before, in which frames may have to stay, also if a merge left its metadata in conflict."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

from ..core.crate.check import check_crate
from ..core.crate.file_names import sized_name
from ..core.errors import InputError
from ..core.model.crate import Crate
from ..core.sentence import Sentence, setting, some_files
from ..core.text import few, shown
from ..exports.earlier_build import Before, is_written
from ..format.files import ENDINGS, read_metadata, read_sides
from ..settings.table import Settings


def previous_layout(target: Path, settings: Settings, before: Before) -> Crate | None:
    """The crate that is there under the name of this size of the build, if it can be read. Of the two sides of a merge
    it is the one whose sheets are there, or else the one that was checked out."""
    for path in _forms(target, settings):
        if path.name in before.conflicts:
            if side := side_there(path):
                return side
        elif path.is_file():
            try:
                return read_metadata(path)
            except InputError:  # then there are no places to keep
                continue
    return None


def side_there(path: Path) -> Crate | None:
    """Of the two sides of a merge in metadata, the one whose sheets are there; None if neither can be read."""
    sides = _sound_sides(path).values()
    return max(sides, key=lambda crate: _sheets_there(crate, path.parent), default=None)


def told_of_damage(target: Path, before: Before, made: Iterable[tuple[Settings, Crate]]) -> Iterator[Sentence]:
    """Warnings of metadata that could not be read, and of the frames that moved for that reason."""
    if before.conflicts:
        holds, it_is = ("holds", "it is") if len(before.conflicts) == 1 else ("hold", "they are")
        names = some_files(before.conflicts)
        yield Sentence(f"{names} {holds} conflict markers from a merge; {it_is} written anew")
    for settings, crate in made if before.conflicts or before.damaged else ():
        if not settings.keep_places:
            continue
        forms = [path for path in _forms(target, settings) if path.name in (*before.conflicts, *before.damaged)]
        sides = _sound_sides(forms[0]) if forms else {}
        if forms and not sides:
            name = some_files([forms[0].name])
            yield Sentence(f"{setting('keep_places')}: {name} could not be read, so any frame may have moved")
        for branch, side in sides.items():
            if moved := _moved(side, crate):
                yield Sentence(f"moved since the last build of {branch}: {few(map(shown, moved))}")


def _forms(target: Path, settings: Settings) -> list[Path]:
    return [target.parent / (sized_name(target.name, settings.portion) + ending) for ending in ENDINGS]


def _sound_sides(path: Path) -> dict[str, Crate]:
    """The crates on the two sides of a merge, by what the sides are called, as far as they hold together."""
    branches = "the branch that was checked out", "the branch that was merged"
    sides = zip(branches, read_sides(path), strict=False)
    return {branch: crate for branch, crate in sides if crate and not any(check_crate(crate))}


def _sheets_there(crate: Crate, folder: Path) -> int:
    return sum(is_written(folder / sheet.image, sheet.sha256) for sheet in crate.sheets)


def _moved(old: Crate, new: Crate) -> list[str]:
    """The frames that lie elsewhere than they did."""
    places = {frame.name: (frame.on_sheet, frame.box[:2], frame.turned) for frame in old.frames}
    return [
        frame.name
        for frame in new.frames
        if frame.name in places and places[frame.name] != (frame.on_sheet, frame.box[:2], frame.turned)
    ]
