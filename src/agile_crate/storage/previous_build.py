"""The previous build at an output path, and its files among others."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple, Protocol

from ..core.crate.file_names import LONGEST_NAME, SHEET_ENDINGS, repeated
from ..core.errors import OutputError, UsageError
from ..core.limits import Limits
from ..core.message import message, setting, some_files
from ..core.text import is_unicode, quoted, shown
from ..format.files import ENDINGS, Look, Outputs, conflict_sides, outputs_in, outputs_of_build, sides_of
from ..format.png_seal import seal_of
from ..format.regular import read_regular
from ..format.seal import binary_sha256, text_sha256

DEEPEST = 200
"""Folders above each other in a whole path."""

_SIZED = r"(@[0-9.]+)?"


def target_of(out: str) -> Path:
    """Return the absolute path that all outputs begin with, without an ending that we would add anyway."""
    if out.endswith(("/", os.sep)) or os.path.basename(out) in ("", ".", ".."):
        raise UsageError(
            "{} has no name: write the files' path without ending, such as build/otter for build/otter.png "
            "and build/otter.json",
            setting("out", out),
        )
    stem, ending = os.path.splitext(out)
    target = Path(os.path.abspath(stem if ending in (*SHEET_ENDINGS, *ENDINGS) else out))
    if not is_unicode(out) or "\0" in out or len(target.parts) > DEEPEST:
        raise UsageError(
            "{}: write the path in Unicode text without null characters, and with fewer than {} folders",
            setting("out", out),
            DEEPEST,
        )
    if ":" in target.name or "\\" in target.name:
        raise UsageError("{}: ':' and '\\' cannot be part of a file name; choose another name", setting("out", out))
    return target


class PreviousBuild(NamedTuple):
    """The files of the previous build at the same place, by their absolute paths, as its metadata lists them.

    Metadata is data: whoever has the folder may have written it. So a file is replaced without being asked only if its
    digest proves that a build wrote it, byte for byte.

    claimed     files with the names that a build gives, or that are byte for byte what was written: they are no inputs
    own         only the latter, which may be replaced and removed
    texts       text files, and sheets of skins, that were changed since
    sheets      sheets that were changed since, by the name of their crate
    edited      sheets with edits that an earlier build kept, and that nobody changed since
    built_from  the digest of what the crate at its own size was made from; empty if unknown
    frames      the looks of that crate's frames, by name
    proven      files whose own seals, or the cache, prove that we wrote them, which may be replaced as well
    conflicts   metadata with conflict markers from a merge, which may be replaced
    damaged     metadata that cannot be read otherwise
    lost_edits  sheets with kept edits whose metadata is gone, so that they cannot be kept again
    marks       of each metadata file that was read, when and how long it was
    """

    claimed: frozenset[str]
    own: frozenset[str]
    texts: frozenset[str]
    sheets: Mapping[str, frozenset[str]]
    edited: frozenset[str] = frozenset()
    built_from: str = ""
    frames: Mapping[str, Look] = MappingProxyType({})
    proven: frozenset[str] = frozenset()
    conflicts: tuple[str, ...] = ()
    damaged: tuple[str, ...] = ()
    lost_edits: tuple[str, ...] = ()
    marks: tuple[tuple[str, object], ...] = ()

    def is_current(self) -> bool:
        """Return True if the metadata files are still those that were read."""
        return all(_mark(Path(path)) == mark for path, mark in self.marks)


def _mark(path: Path) -> tuple[int, ...]:
    """Return what changes whenever a file is replaced: its number, its length and its times; empty if it is missing."""
    try:
        found = os.stat(path)
    except OSError:
        return ()
    return found.st_ino, found.st_size, found.st_mtime_ns, found.st_ctime_ns


class Digests(Protocol):
    """Digests of files that are known from before (`storage.cache.Cache`)."""

    def sha256(self, path: str) -> str:
        """Return the recorded SHA-256 of an unchanged file, in hex; empty if it may have changed."""

    def noted(self, path: str, read: Callable[[], bytes]) -> tuple[bytes, str]:
        """Return what `read` gives, and its SHA-256 in hex, to be known later."""

    def has_written(self, sha256: str) -> bool:
        """Return True if a build wrote a file with this SHA-256, in hex."""


def previous_build(target: Path, limits: Limits, digests: Digests | None = None) -> PreviousBuild:
    """Look up the previous build at a place. Sheets are read only if `digests` do not know them. If its metadata is
    gone or damaged, files that prove by themselves to be ours are looked for."""
    folder, stem = target.parent, target.name
    found = _Found(folder, stem, limits, digests)
    waiting = [stem + ending for ending in ENDINGS]
    pending, marks = set(waiting), dict[str, tuple[int, ...]]()
    # Metadata names further metadata (other forms and sizes), which is untrusted as well: each is read once, and only
    # if its name is one that a build of this crate gives.
    while waiting:
        name = waiting.pop()
        marks[name] = _mark(folder / name)  # before it is read: a change while it is read shows later
        more = [file for file in found.metadata(name) if file.endswith(ENDINGS) and file not in pending]
        waiting += more
        pending.update(more)
    is_lost = not found.frames or any(name.rpartition(".")[0] != stem for name in pending - found.frames.keys())
    proven = frozenset(found.proven()) if is_lost else frozenset()
    found.claimed |= {name for name in proven if _is_output_name(name, stem)}

    def paths(names: Iterable[str]) -> frozenset[str]:
        return frozenset(str(folder / name) for name in names)

    def existing(names: Iterable[str]) -> frozenset[str]:
        return paths(name for name in names if (folder / name).is_file())

    return PreviousBuild(
        paths(found.claimed),
        paths(found.own),
        existing(found.texts),
        {crate: existing(names) for crate, names in found.sheets.items()},
        existing(found.edited),
        *_has_recorded_size(stem, found.origins, found.frames),
        paths(proven),
        tuple(sorted(found.conflicts)),
        tuple(sorted(found.damaged)),
        tuple(found.lost_edits),
        tuple((str(folder / name), mark) for name, mark in marks.items()),
    )


class _Found:
    """The files of an earlier build, collected from its metadata files one by one, by name."""

    def __init__(self, folder: Path, stem: str, limits: Limits, digests: Digests | None) -> None:
        self._folder, self._stem, self._limits, self._digests = folder, stem, limits, digests
        self.claimed: set[str] = set()
        self.own: set[str] = set()
        self.texts: set[str] = set()
        self.edited: set[str] = set()
        self.sheets: dict[str, frozenset[str]] = {}
        self.origins: dict[str, str] = {}
        self.frames: dict[str, Mapping[str, Look]] = {}
        self.conflicts: list[str] = []
        self.damaged: list[str] = []
        self.lost_edits: list[str] = []

    def metadata(self, name: str) -> list[str]:
        """Read one metadata file; return the names of the text files that it lists."""
        outputs = outputs_of_build(self._folder / name, self._limits)
        if not outputs.is_damaged:
            return self._outputs(name, [outputs]) if outputs.images else []
        sides = [outputs_in(side, name) for side in conflict_sides(self._folder / name, self._limits)]
        if not sides:
            self.damaged.append(name)
            return []
        self.conflicts.append(name)
        self.own.add(name)  # a merge wrote it, from two that we wrote
        return self._outputs(name, [side for side in sides if side.images])

    def _outputs(self, name: str, sides: Sequence[Outputs]) -> list[str]:
        """Add the outputs listed in sound metadata, or on either side of a merge."""
        self.claimed.add(name)
        named = list(dict.fromkeys(file for side in sides for file in side.files if _is_text_name(file, self._stem)))
        self.claimed.update(named)
        written = {image for side in sides for image in self._written(side.images)}
        changed: set[str] = set()
        for side in sides:
            self.frames.setdefault(name, side.frames)
            self.origins[name] = side.built_from if len(sides) == 1 and name not in self.conflicts else ""
            images = {os.path.basename(image) for image in side.images}
            known = {image for image in images if side.is_sealed or _is_sheet_name(image, self._stem)}
            self.claimed |= known | (written & images)
            # A digest in metadata proves that a file is what some metadata says, and only sealed metadata is ours: the
            # rest could have been written to have a stranger's file replaced.
            if not side.has_seal:
                continue
            if not side.is_adopted:  # its sheets are somebody else's
                self.own |= written & images
            if name not in self.conflicts:
                (self.own if side.is_sealed else self.texts).add(name)
            for file in named:
                if sha256 := side.file_sha256.get(file):
                    is_ours = _is_written(self._folder / file, sha256, text_sha256, self._limits)
                    is_merged = name in self.conflicts and _holds_conflict(self._folder / file, self._limits)
                    (self.own if is_ours or is_merged else self.texts).add(file)
            self.texts |= (known - written) & side.skins  # paint in that place is not carried over
            changed |= (known - written) - side.skins
            self.edited |= (side.edited & written) - side.skins
        self.texts -= self.own  # on one side of a merge is enough
        self.sheets[os.path.splitext(name)[0]] = frozenset(changed)
        return named

    def _written(self, images: Mapping[str, str]) -> Iterator[str]:
        for image, sha256 in images.items():
            if is_written(self._folder / os.path.basename(image), sha256, self._digests, self._limits):
                yield os.path.basename(image)

    def proven(self) -> Iterator[str]:
        """Yield the names of files that prove by themselves that a build of this name wrote them."""
        for name in sorted(os.listdir(self._folder)) if self._folder.is_dir() else ():
            if not name.startswith(self._stem) or name in self.own:
                continue
            path = self._folder / name
            seal = seal_of(path, self._limits) if name.endswith(".png") else None
            if seal and re.fullmatch(re.escape(self._stem) + _SIZED, seal.crate):
                if seal.is_edited:
                    self.lost_edits.append(name)
                else:
                    yield name
            elif (
                self._digests and _is_output_name(name, self._stem) and _is_in_cache(path, self._digests, self._limits)
            ):
                yield name


def _holds_conflict(path: Path, limits: Limits) -> bool:
    try:
        return bool(sides_of(read_regular(path, limits, "file_bytes")))
    except OSError:
        return False


def _is_in_cache(path: Path, digests: Digests, limits: Limits) -> bool:
    try:
        known = digests.sha256(str(path)) or binary_sha256(read_regular(path, limits, "file_bytes"))
    except OSError:
        return False
    return digests.has_written(known)


def _has_recorded_size(
    stem: str, origins: Mapping[str, str], frames: Mapping[str, Mapping[str, Look]]
) -> tuple[str, Mapping[str, Look]]:
    """Return what the crate at its own size was built from, if its forms agree, and the looks of its frames."""
    forms = [name for ending in ENDINGS if (name := stem + ending) in origins]
    agreed = {origins[name] for name in forms}
    return (agreed.pop() if len(agreed) == 1 else ""), (frames[forms[0]] if forms else {})


def is_written(path: Path, sha256: str, digests: Digests | None, limits: Limits) -> bool:
    """Return True if an image with this SHA-256 exists, in hex. It is read only where `digests` do not know
    it."""
    if not digests:
        return _is_written(path, sha256, binary_sha256, limits)
    try:
        known = (
            digests.sha256(str(path)) or digests.noted(str(path), lambda: read_regular(path, limits, "file_bytes"))[1]
        )
        return known == sha256
    except OSError:
        return False


def _is_text_name(name: str, stem: str) -> bool:
    rest = name.removeprefix(stem)
    return rest != name and re.fullmatch(_SIZED + r"\.[^/\\]+", rest) is not None


def _is_output_name(name: str, stem: str) -> bool:
    return _is_sheet_name(name, stem) or _is_text_name(name, stem)


def _is_sheet_name(image: str, stem: str) -> bool:
    rest = image.removeprefix(stem)
    return rest != image and re.fullmatch(_SIZED + r"(-[^/\\]+)?\.(png|webp)", rest) is not None  # a number, or a skin


def _is_written(path: Path, sha256: str, digest: Callable[[bytes], str], limits: Limits) -> bool:
    try:
        return digest(read_regular(path, limits, "file_bytes")) == sha256
    except OSError:
        return False


def check_output_names(files: Sequence[Path]) -> None:
    """Raise UsageError when two outputs would take one name, and for names that are too long for any platform."""
    for path in files:
        if len(os.fsencode(path.name)) > LONGEST_NAME:
            raise UsageError("{out} makes the name {}…, longer than files can have; shorten it", shown(path.name[:40]))
    if (name := repeated(path.name for path in files)) is not None:
        raise UsageError(
            "two outputs would take the name {}; let {file_name} tell them apart ({{sheet}}, {{name}}, "
            "{{scale}}), give templates other endings, or leave out a format",
            quoted(name),
        )


def check_damaged(files: Collection[Path], previous: PreviousBuild) -> None:
    """Raise OutputError for metadata among `files` that cannot be read, since it may describe edits; and for edited
    sheets without metadata."""
    lost = [path.name for path in files if path.name in previous.lost_edits]
    if lost:
        holds = "holds" if len(lost) == 1 else "hold"
        raise OutputError(
            "{} {} edits by hand, but the metadata that could keep them is gone; restore the metadata, keep "
            "a copy of the sheets, or overwrite them with {force}",
            some_files(lost),
            holds,
        )
    damaged = [path.name for path in files if path.name in previous.damaged]
    if damaged:
        verb, them = ("is", "it") if len(damaged) == 1 else ("are", "them")
        raise OutputError(
            "{} {} damaged, so the last build is not known; restore {}, delete {}, or overwrite {} with {force}",
            some_files(damaged),
            verb,
            them,
            them,
            them,
        )


def check_no_edits(previous: PreviousBuild, carried: Collection[str]) -> None:
    """Raise OutputError if a file of the previous build was edited. Sheets of crates whose names are `kept` do not
    count. Changes of files without a known digest cannot be found."""
    sheets = frozenset().union(*(paths for crate, paths in previous.sheets.items() if crate not in carried))
    if not carried and previous.edited and not (previous.texts | sheets):
        edited = sorted(map(os.path.basename, previous.edited))
        holds, them = ("holds", "it") if len(edited) == 1 else ("hold", "them")
        raise OutputError(
            "{} {} edits that were kept or accepted before; keep them with {keep_edits}, or overwrite {} with {force}",
            some_files(edited),
            holds,
            them,
        )
    if worked_on := sorted(os.path.basename(path) for path in previous.texts | sheets):
        along = "" if carried or not sheets else message("take along what was painted with {keep_edits}, ")
        verb, them = ("was", "it") if len(worked_on) == 1 else ("were", "them")
        raise OutputError(
            "{} {} changed since the last build, perhaps by hand; keep a copy, choose another {out}, {}or "
            "overwrite {} with {force}",
            some_files(worked_on),
            verb,
            along,
            them,
        )


def check_no_foreign_files(files: Iterable[Path], before: frozenset[str]) -> None:
    """Raise OutputError for existing files that no earlier build wrote."""
    foreign = [path.name for path in files if os.path.lexists(path) and str(path) not in before]
    if foreign:
        exist, them = ("exists and is", "it") if len(foreign) == 1 else ("exist and are", "them")
        raise OutputError(
            "{} already {} not from a build of this name; choose another {out}, move {} away, or overwrite {} "
            "with {force}",
            some_files(foreign),
            exist,
            them,
            them,
        )
