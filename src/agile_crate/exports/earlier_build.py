"""Where a build goes, which files there are an earlier build's, and which are somebody else's."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from pathlib import Path

from ..core.crate.file_names import LONGEST_NAME, repeated
from ..core.errors import OutputError, UsageError
from ..core.sentence import setting
from ..core.text import few, quoted, shown
from ..format.files import ENDINGS, outputs_of_build
from ..format.seal import binary_sha256, text_sha256

_SIZED = r"(@[0-9.]+)?"


def target_of(out: str) -> Path:
    """The absolute path that all outputs begin with. An ending that we would add anyway is not repeated."""
    if out.endswith(("/", os.sep)) or os.path.basename(out) in ("", ".", ".."):
        raise UsageError(
            f"{setting('out', out)} has no name: write the files' path without ending, such as build/otter for "
            "build/otter.png and build/otter.json"
        )
    stem, ending = os.path.splitext(out)
    target = Path(os.path.abspath(stem if ending in (".png", *ENDINGS) else out))
    if ":" in target.name or "\\" in target.name:
        raise UsageError(f"{setting('out', out)}: ':' and '\\' cannot be part of a file name; choose another name")
    return target


def build_before(target: Path) -> frozenset[str]:
    """The files of an earlier build at the same place, told by its metadata.

    A file is taken for that build's only if it has the name that a build gives, or, where names were chosen by a
    pattern, if it is to the byte the image that was written: metadata may come from anywhere.
    """
    return frozenset(str(target.parent / name) for name in _names_before(target.parent, target.name))


def _names_before(folder: Path, stem: str) -> Iterator[str]:
    asked: set[str] = set()
    waiting = [stem + ending for ending in ENDINGS]
    while waiting:
        name = waiting.pop()
        outputs = outputs_of_build(folder / name)
        asked.add(name)
        if not outputs.images:
            continue
        yield name
        texts = [file for file in outputs.files if _is_text_name(file, stem)]
        yield from texts
        waiting += [file for file in texts if file.endswith(ENDINGS) and file not in asked and file not in waiting]
        for image, sha256 in outputs.images.items():
            if _is_sheet_name(image, stem) or _is_written(folder / os.path.basename(image), sha256):
                yield os.path.basename(image)


def _is_text_name(name: str, stem: str) -> bool:
    rest = name.removeprefix(stem)
    return rest != name and re.fullmatch(_SIZED + r"(\.\w+)+", rest) is not None


def _is_sheet_name(image: str, stem: str) -> bool:
    rest = image.removeprefix(stem)
    return rest != image and re.fullmatch(_SIZED + r"(-[0-9]+)?\.png", rest) is not None


def _is_written(path: Path, sha256: str) -> bool:
    try:
        return binary_sha256(path.read_bytes()) == sha256
    except OSError:
        return False


def refuse_bad_names(files: Sequence[Path]) -> None:
    """Raises UsageError when two outputs would take one name, and for names that are too long for any platform."""
    for path in files:
        if len(os.fsencode(path.name)) > LONGEST_NAME:
            raise UsageError(
                f"{setting('out')} makes the name {shown(path.name[:40])}…, longer than files can have; shorten it"
            )
    if (name := repeated(path.name for path in files)) is not None:
        raise UsageError(
            f"two outputs would take the name {quoted(name)}; let {setting('file_name')} tell them apart ({{sheet}}, "
            "{name}, {scale}), give templates other endings, or leave out a format"
        )


def refuse_to_lose_work(target: Path, before: frozenset[str], kept: Collection[str]) -> None:
    """Raises OutputError when a file of the earlier build is no longer as it was written, or carries touches: somebody
    worked on it. Sheets of crates whose names are `kept` may be. Files of which no digest is known cannot be told."""
    sheets: set[str] = set()
    others: set[str] = set()
    for path in (path for path in before if path.endswith(ENDINGS)):
        outputs = outputs_of_build(path)
        if os.path.splitext(os.path.basename(path))[0] not in kept:
            images = outputs.images.items()
            sheets |= outputs.touched | {name for name, sha256 in images if _is_other(target, name, sha256)}
        texts = outputs.file_sha256.items()
        others |= {name for name, sha256 in texts if _is_other(target, name, sha256, text_sha256)}
        others |= {os.path.basename(path)} if outputs.edited else set()
    if worked_on := sorted(name for name in others | sheets if str(target.parent / name) in before):
        along = "" if kept or not sheets else f"take along what was painted with {setting('keep_touches')}, "
        verb, them = ("was", "it") if len(worked_on) == 1 else ("were", "them")
        raise OutputError(
            f"{few(worked_on)} {verb} changed since the last build, perhaps by hand; keep a copy, choose another "
            f"{setting('out')}, {along}or overwrite {them} with {setting('force')}"
        )


def _is_other(target: Path, name: str, sha256: str, digest: Callable[[bytes], str] = binary_sha256) -> bool:
    """Whether a file that is there is not the one with this digest, if that is known."""
    path = target.parent / os.path.basename(name)
    return bool(sha256) and path.is_file() and digest(path.read_bytes()) != sha256


def refuse_strangers(files: Iterable[Path], before: frozenset[str]) -> None:
    """Raises OutputError for files that are there and are not an earlier build's."""
    strangers = [path.name for path in files if os.path.lexists(path) and str(path) not in before]
    if strangers:
        verb = "is" if len(strangers) == 1 else "are"
        raise OutputError(
            f"{few(strangers)} {verb} already there and {verb} not from a build of this name; "
            f"choose another {setting('out')}, move what is there, or overwrite it with {setting('force')}"
        )
