"""`verify --accept`: record the present sheets in the metadata."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from ..core.crate.check import check_crate
from ..core.errors import InputError
from ..core.limits import Limits
from ..core.message import a_file
from ..core.model.crate import Crate
from ..core.text import quoted
from ..format.document import document_of, first_difference
from ..format.files import ENDINGS, is_ours, read_metadata, resealed, sha256_now, was_edited
from ..sources.edited_sheets import edited_sheets
from ..storage.previous_build import is_written
from ..storage.staging import staged


@dataclass(frozen=True, slots=True)
class Accepted:
    """The edited files, the number of edited frames, and the metadata files that record them."""

    names: tuple[str, ...]
    frames: int
    files: tuple[Path, ...]


def accept(data: str, limits: Limits) -> Accepted:
    """Record the present state of a crate's files in its metadata, JSON and XML; nothing else changes.

    Raises InputError where the metadata does not hold together, its two forms differ, or a sheet cannot be used; and
    for edits that no later `verify` would find in order: on skins, outside of all frames, or beside a repeated edge.
    """
    crate, folder = read_metadata(data, limits), Path(os.path.abspath(data)).parent
    for problem in check_crate(crate):
        raise InputError("{}: {}; that cannot be accepted", a_file(data), problem)
    _refuse_edited_skins(data, crate, folder, limits)
    sheets = list(edited_sheets(crate, folder, limits))
    for problem in (problem for sheet in sheets for problem in sheet.problems):
        raise InputError("{}: {}", a_file(data), problem)
    edited = {edit.frame.name for sheet in sheets for edit in sheet.edits}
    indices = [index for index, frame in enumerate(crate.frames) if frame.name in edited]
    was = {sheet.image: sheet.sha256 for sheet in crate.sheets} | dict(crate.file_sha256)
    now = was | {sheet.image: sheet.sha256 for sheet in sheets}
    now |= {name: sha256_now(folder / name, limits) or sha256 for name, sha256 in crate.file_sha256.items()}
    texts: dict[Path, str] = {}
    changed = [name for name in was if was[name] != now[name]]
    for path in forms_of(data):
        changed += [path.name] if was_edited(path, limits) else []
        if difference := first_difference(document_of(crate), document_of(read_metadata(path, limits))):
            raise InputError("{} differs from it: {}; correct or delete one of the two", a_file(str(path)), difference)
        texts[path] = resealed(path, now, indices, limits)
    stem = os.path.splitext(os.path.basename(data))[0]
    with staged(folder, stem.rpartition("@")[0] if "also_scale" in crate.settings else stem) as staging:
        for path, made in texts.items():
            staging.write(path.name, [made.encode()])
        staging.commit()
    return Accepted(tuple(changed), len(indices), tuple(texts))


def _refuse_edited_skins(data: str, crate: Crate, folder: Path, limits: Limits) -> None:
    for skin in (skin for sheet in crate.sheets for skin in sheet.skins):
        if skin.sha256 and not is_written(folder / skin.image, skin.sha256, None, limits):
            raise InputError(
                "{}: {}, a sheet of the skin {}, is missing or was changed; edits on skins cannot be accepted: "
                "edit the skin's frames, and pack again",
                a_file(data),
                quoted(skin.image),
                quoted(skin.name),
            )


def forms_of(data: str) -> list[Path]:
    """Return a crate's metadata files: the named one, and the other form if it exists next to it."""
    stem, ending = os.path.splitext(data)
    others = [stem + other for other in ENDINGS if ending in ENDINGS and other != ending]
    return [Path(data), *(Path(path) for path in others if is_ours(path))]
