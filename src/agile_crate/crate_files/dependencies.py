"""Which files a build reads: its frames and the folders that they lie in, templates, a palette."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence

from ..core.crate.file_names import SHEET_ENDINGS
from ..exports.depfile import write_depfile
from ..format.files import ENDINGS
from ..settings.table import Settings
from ..sources.find import find
from ..storage.previous_build import build_before, target_of

Build = tuple[Sequence[str], str, Settings]
"""The inputs of a build, where it goes, and its settings."""


def needed(inputs: Sequence[str], out: str, settings: Settings) -> Iterator[str]:
    """Paths as they are named from here. A folder changes when a frame comes or goes. Raises InputError."""
    target = target_of(out)
    folders: dict[str, None] = {}
    files: list[str] = []
    for file in find(inputs, build_before(target).claimed).found:
        files.append(file.path)
        folders[os.path.dirname(file.path) or "."] = None
    for given in inputs:
        if os.path.isdir(given):
            folders |= {path: None for path, *_ in os.walk(given) if os.path.abspath(path) != str(target.parent)}
    yield from folders
    yield from files
    yield from settings.files


def tell_depfile(path: str, builds: Sequence[Build], more: Sequence[str] = ()) -> None:
    """Writes what builds depend on, and `more`, as a file for make and ninja. Raises UsageError and OutputError."""
    targets = [metadata_of(out, settings) for _, out, settings in builds]
    files = [file for build in builds for file in needed(*build)]
    write_depfile(path, dict.fromkeys(targets), dict.fromkeys((*more, *files)))


def metadata_of(out: str, settings: Settings) -> str:
    """The metadata that a build writes, as it is named from here: JSON if that is among the formats, else XML."""
    stem, ending = os.path.splitext(out)
    form = "json" if "json" in settings.metadata else "xml"
    return f"{stem if ending in (*SHEET_ENDINGS, *ENDINGS) else out}.{form}"
