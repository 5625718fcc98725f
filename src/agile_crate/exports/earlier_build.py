"""Where a build goes, which files there are an earlier build's, and which are somebody else's."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple, Protocol

from ..core.crate.file_names import LONGEST_NAME, SHEET_ENDINGS, repeated
from ..core.errors import OutputError, UsageError
from ..core.sentence import setting, some_files
from ..core.text import is_unicode, quoted, shown
from ..format.files import ENDINGS, outputs_of_build
from ..format.regular import read_regular
from ..format.seal import binary_sha256, text_sha256

DEEPEST = 200
"""Folders above each other in a whole path."""

_SIZED = r"(@[0-9.]+)?"


def target_of(out: str) -> Path:
    """The absolute path that all outputs begin with. An ending that we would add anyway is not repeated."""
    if out.endswith(("/", os.sep)) or os.path.basename(out) in ("", ".", ".."):
        raise UsageError(
            f"{setting('out', out)} has no name: write the files' path without ending, such as build/otter for "
            "build/otter.png and build/otter.json"
        )
    stem, ending = os.path.splitext(out)
    target = Path(os.path.abspath(stem if ending in (*SHEET_ENDINGS, *ENDINGS) else out))
    if not is_unicode(out) or "\0" in out or len(target.parts) > DEEPEST:
        raise UsageError(
            f"{setting('out', out)}: write the path in Unicode text without null characters, and with fewer than "
            f"{DEEPEST} folders"
        )
    if ":" in target.name or "\\" in target.name:
        raise UsageError(f"{setting('out', out)}: ':' and '\\' cannot be part of a file name; choose another name")
    return target


class Before(NamedTuple):
    """The files of an earlier build at the same place, by their paths, as its metadata tells, wherever that comes from.

    `claimed` are those that have the name that a build gives, or are to the byte what was written: they are no inputs.
    `own` are only the latter: by their digests it is proved that we wrote them, so they may be replaced and removed.
    Somebody worked on the others since: on texts (and sheets of skins), and on sheets, by the name of their crate.
    `built_from` is the digest of what the crate at its own size was built from, empty where that is not told; `frames`
    are that one's names.
    """

    claimed: frozenset[str]
    own: frozenset[str]
    texts: frozenset[str]
    sheets: Mapping[str, frozenset[str]]
    built_from: str = ""
    frames: tuple[str, ...] = ()


class Digests(Protocol):
    """Digests of files that are known from before (`store.cache.Cache`)."""

    def sha256(self, path: str) -> str:
        """The SHA-256 of a file that has not changed since, in hex; empty if that is not certain."""

    def noted(self, path: str, read: Callable[[], bytes]) -> tuple[bytes, str]:
        """What `read` gives, and its SHA-256 in hex, to be known later."""


def build_before(target: Path, digests: Digests | None = None) -> Before:
    """What there is of an earlier build at the place of this one. Sheets are read only where `digests` do not know
    them."""
    folder, stem = target.parent, target.name
    claimed: set[str] = set()
    own: set[str] = set()
    texts: set[str] = set()
    sheets: dict[str, frozenset[str]] = {}
    origins: dict[str, str] = {}
    frames: dict[str, tuple[str, ...]] = {}
    waiting = [stem + ending for ending in ENDINGS]
    asked = set(waiting)
    while waiting:
        name = waiting.pop()
        outputs = outputs_of_build(folder / name)
        if not outputs.images:
            continue
        claimed.add(name)
        origins[name], frames[name] = outputs.built_from, outputs.frames
        named = [file for file in outputs.files if _is_text_name(file, stem)]
        claimed.update(named)
        more = [file for file in named if file.endswith(ENDINGS) and file not in asked]
        waiting += more
        asked.update(more)
        images = {os.path.basename(image): sha256 for image, sha256 in outputs.images.items()}
        written = {image for image, sha256 in images.items() if is_written(folder / image, sha256, digests)}
        claimed |= written | {image for image in images if _is_sheet_name(image, stem)}
        if not outputs.has_seal:  # then it proves nothing
            continue
        own |= written
        (own if outputs.is_sealed else texts).add(name)
        for file in named:
            if sha256 := outputs.file_sha256.get(file):
                (own if _is_written(folder / file, sha256, text_sha256) else texts).add(file)
        changed = {image for image in images if image in claimed and image not in written}
        texts |= changed & outputs.skins  # what was painted there is carried nowhere
        sheets[os.path.splitext(name)[0]] = frozenset(changed - outputs.skins | outputs.touched)
    edited = frozenset(str(folder / name) for name in texts if (folder / name).is_file())
    return Before(
        frozenset(str(folder / name) for name in claimed),
        frozenset(str(folder / name) for name in own),
        edited,
        {crate: frozenset(str(folder / n) for n in names if (folder / n).is_file()) for crate, names in sheets.items()},
        *_of_its_own_size(stem, origins, frames),
    )


def _of_its_own_size(
    stem: str, origins: Mapping[str, str], frames: Mapping[str, tuple[str, ...]]
) -> tuple[str, tuple[str, ...]]:
    """What the crate at its own size was built from, if its forms agree, and its frames' names."""
    forms = [name for ending in ENDINGS if (name := stem + ending) in origins]
    agreed = {origins[name] for name in forms}
    return (agreed.pop() if len(agreed) == 1 else ""), (frames[forms[0]] if forms else ())


def is_written(path: Path, sha256: str, digests: Digests | None = None) -> bool:
    """Whether an image is there that has this SHA-256, in hex. It is read only where `digests` do not know it."""
    if not digests:
        return _is_written(path, sha256, binary_sha256)
    try:
        known = digests.sha256(str(path)) or digests.noted(str(path), lambda: read_regular(path, "file_bytes"))[1]
        return known == sha256
    except OSError:
        return False


def _is_text_name(name: str, stem: str) -> bool:
    rest = name.removeprefix(stem)
    return rest != name and re.fullmatch(_SIZED + r"\.[^/\\]+", rest) is not None


def _is_sheet_name(image: str, stem: str) -> bool:
    rest = image.removeprefix(stem)
    return rest != image and re.fullmatch(_SIZED + r"(-[^/\\]+)?\.(png|webp)", rest) is not None  # a number, or a skin


def _is_written(path: Path, sha256: str, digest: Callable[[bytes], str]) -> bool:
    try:
        return digest(read_regular(path, "file_bytes")) == sha256
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


def refuse_to_lose_work(before: Before, kept: Collection[str]) -> None:
    """Raises OutputError when somebody worked on a file of the earlier build; sheets of crates whose names are `kept`
    do not count. Files of which no digest is known cannot be told."""
    sheets = frozenset().union(*(paths for crate, paths in before.sheets.items() if crate not in kept))
    if worked_on := sorted(os.path.basename(path) for path in before.texts | sheets):
        along = "" if kept or not sheets else f"take along what was painted with {setting('keep_touches')}, "
        verb, them = ("was", "it") if len(worked_on) == 1 else ("were", "them")
        raise OutputError(
            f"{some_files(worked_on)} {verb} changed since the last build, perhaps by hand; keep a copy, choose "
            f"another {setting('out')}, {along}or overwrite {them} with {setting('force')}"
        )


def refuse_strangers(files: Iterable[Path], before: frozenset[str]) -> None:
    """Raises OutputError for files that are there and are not an earlier build's."""
    strangers = [path.name for path in files if os.path.lexists(path) and str(path) not in before]
    if strangers:
        verb = "is" if len(strangers) == 1 else "are"
        raise OutputError(
            f"{some_files(strangers)} {verb} already there and {verb} not from a build of this name; "
            f"choose another {setting('out')}, move what is there, or overwrite it with {setting('force')}"
        )
