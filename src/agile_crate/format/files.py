"""Metadata files of either form, recognized by their contents."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Collection, Iterator, Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

from ..core.errors import InputError, reason
from ..core.limits import Limits
from ..core.message import a_file
from ..core.model.crate import FORMAT, Crate
from .json_form import from_json
from .json_form import resealed as json_resealed
from .regular import read_head, read_regular
from .seal import is_unbroken, text_sha256

ENDINGS = (".json", ".xml")
"""Of the two forms: each says everything, and a build is known again by either."""

_HEAD = 4096
_MARK = b"\xef\xbb\xbf"
"""That some editors put before UTF-8."""


class Look(NamedTuple):
    """A frame as an earlier build wrote it, to compare with a later one.

    picture  its CRC, canvas and pivot
    place    its sheet, its box, and True if it is turned
    grid     the columns, rows and cell size of its sheet; empty without one grid
    trimming the settings that decide which of its pixels the CRC is of
    """

    picture: tuple[object, ...] = ()
    place: tuple[object, ...] = ()
    grid: tuple[int, ...] = ()
    trimming: tuple[str, ...] = ()


class Outputs(NamedTuple):
    """Outputs of an earlier build: its sheets with the SHA-256 and the size of each, its text files, and the digests of
    those that are not metadata; whether the metadata itself has a digest, and is what that says; the sheets with
    frames that were edited; what the build was made from, as a digest, and the looks of its frames;
    which of the sheets are those of skins; and whether the sheets were made elsewhere. `is_damaged`: the file begins as
    our metadata does, and cannot be read.
    """

    images: Mapping[str, str] = MappingProxyType({})
    sizes: Mapping[str, list[int]] = MappingProxyType({})
    files: tuple[str, ...] = ()
    file_sha256: Mapping[str, str] = MappingProxyType({})
    has_seal: bool = False
    is_sealed: bool = False
    edited: frozenset[str] = frozenset()
    built_from: str = ""
    frames: Mapping[str, Look] = MappingProxyType({})
    skins: frozenset[str] = frozenset()
    is_adopted: bool = False
    is_damaged: bool = False


NOTHING = Outputs()


def looks_like_metadata(path: str) -> bool:
    """Return True if a file is metadata, JSON or XML, and not a picture, by its first bytes or, if it cannot be read,
    by its name."""
    if os.path.isdir(path):
        return False
    try:
        return read_head(path, 64).removeprefix(_MARK).lstrip()[:1] in (b"{", b"<")
    except OSError:
        return path.endswith(ENDINGS)


def read_metadata(path: str | Path, limits: Limits) -> Crate:
    """The crate that a metadata file describes. Raises InputError that names the file and the place in it."""
    try:
        data = read_regular(path, limits, "metadata_bytes")
    except OSError as error:
        raise InputError("{} cannot be read: {}", a_file(str(path)), reason(error)) from None
    if _has_conflict(data):
        raise InputError(
            "{} holds conflict markers from a merge; pack its crate again, which writes it anew", a_file(str(path))
        )
    return _crate_in(data, str(path), limits)


def read_sides(path: Path, limits: Limits, sealed_only: bool = False) -> Iterator[Crate]:
    """The crates on the two sides of the conflict markers in metadata, as far as they can be read; or only those that
    are byte for byte what a build wrote."""
    for side in conflict_sides(path, limits):
        if not sealed_only or outputs_in(side, str(path)).is_sealed:
            with contextlib.suppress(InputError):
                yield _crate_in(side, str(path), limits)


def conflict_sides(path: Path, limits: Limits) -> tuple[bytes, ...]:
    """The texts on either side of the conflict markers in metadata; none if it holds none, or is not ours."""
    if not is_ours(path):
        return ()
    data = read_regular(path, limits, "metadata_bytes")
    return sides_of(data) if _has_conflict(data) else ()


def _has_conflict(data: bytes) -> bool:
    """A look at the lines alone: in JSON and XML as we write them, no other line begins so."""
    return (b"\n<<<<<<< " in data or data.startswith(b"<<<<<<< ")) and bool(sides_of(data))


def _crate_in(data: bytes, path: str, limits: Limits) -> Crate:
    if _is_xml(data):
        from .xml_form import from_xml

        return from_xml(data, path, limits)
    try:
        return from_json(data.decode("utf-8-sig"), path, limits)
    except UnicodeDecodeError:
        raise InputError("{} is not text in UTF-8; name the metadata file, not the picture", a_file(path)) from None


def was_edited(path: Path, limits: Limits) -> bool:
    """Return True if metadata is known to have changed since it was written."""
    outputs = outputs_of_build(path, limits)
    return outputs.has_seal and not outputs.is_sealed


def sha256_now(path: Path, limits: Limits) -> str:
    """The current digest of a text file; empty if it is missing."""
    return text_sha256(read_regular(path, limits, "file_bytes")) if path.is_file() else ""


def resealed(path: Path, digests: Mapping[str, str], edited: Collection[int], limits: Limits) -> str:
    """Return metadata with new digests of files, by name, and with these frames as the edited ones. All else stays,
    including keys that this program does not know."""
    data = read_regular(path, limits, "metadata_bytes")
    if _is_xml(data):
        from .xml_form import resealed

        return resealed(data, digests, edited)
    return json_resealed(data, digests, edited)


def _is_xml(data: bytes) -> bool:
    return data.removeprefix(_MARK).lstrip()[:1] == b"<"


def is_ours(path: str | Path) -> bool:
    """Return True if a file names our format at its beginning, valid or not."""
    try:
        return FORMAT.encode() in read_head(path, _HEAD)
    except OSError:
        return False


def outputs_of_build(path: str | Path, limits: Limits) -> Outputs:
    """Return what the build of a metadata file wrote; nothing if the file is missing, not ours or unreadable.

    Of JSON little else is looked at.
    """
    try:
        if FORMAT.encode() not in read_head(path, _HEAD):
            return NOTHING
        return outputs_in(read_regular(path, limits, "metadata_bytes"), str(path))
    except OSError:
        return NOTHING


def outputs_in(data: bytes, path: str) -> Outputs:
    """Return what the build wrote that metadata is of."""
    try:
        if _is_xml(data):
            from .xml_form import document_from

            document = document_from(data, path)
        else:
            document = json.loads(data)
        if document["format"] != FORMAT:
            return NOTHING
        images = {str(sheet["image"]): str(sheet["sha256"]) for sheet in document["sheets"]}
        seal, names = document.get("sha256", ""), list(images)
        sizes = {str(sheet["image"]): list(sheet["size"]) for sheet in document["sheets"]}
        for sheet in document["sheets"]:
            for skin in sheet.get("skins", {}).values():
                images[str(skin["image"])] = str(skin["sha256"])
                sizes[str(skin["image"])] = list(sheet["size"])
        return Outputs(
            images,
            sizes,
            tuple(map(str, document.get("files", ()))),
            dict(document.get("file_sha256", {})),
            bool(seal),
            bool(seal) and is_unbroken(data, str(seal)),
            frozenset(names[entry["sheet"]] for entry in document["frames"] if entry.get("edited")),
            str(document.get("built_from", "")),
            {str(entry["name"]): _look(entry, document) for entry in document["frames"]},
            frozenset(images) - frozenset(names),
            bool(document.get("adopted")),
        )
    except (ValueError, TypeError, LookupError, AttributeError, RecursionError, InputError):
        return Outputs(is_damaged=True)


def _trimming(settings: Mapping[str, object]) -> tuple[str, ...]:
    names = ("layout", "trim", "trim_alpha", "cushion", "canvas_multiple", "no_offsets")
    return tuple(str(settings.get(name, "")) for name in names)


def _look(entry: Mapping[str, Any], document: Mapping[str, Any]) -> Look:
    """Return a frame's look; an empty one if its entry, which nothing has checked, lacks a part."""
    try:
        sheet = document["sheets"][entry["sheet"]]
        cells = sheet.get("cells") or sheet.get("row_cells")
        return Look(
            (entry.get("crc"), *entry["canvas"], *entry["pivot"]),
            (entry["sheet"], *entry["box"], bool(entry.get("turned"))),
            tuple(map(int, (cells["columns"], cells["rows"], *cells["size"]))) if cells else (),
            _trimming(document.get("settings", {})),
        )
    except (LookupError, TypeError, ValueError, AttributeError):
        return Look()


def looks_of(crate: Crate) -> dict[str, Look]:
    """Return the looks of a crate's frames, by name."""
    grids = [(cells.columns, cells.rows, *cells.size) if (cells := sheet.cells) else () for sheet in crate.sheets]
    trimming = _trimming(crate.settings)
    return {
        frame.name: Look(
            (frame.crc, *frame.canvas, *frame.pivot),
            (frame.on_sheet, *frame.box, frame.turned),
            grids[frame.on_sheet],
            trimming,
        )
        for frame in crate.frames
    }


_OURS, _BASE, _BETWEEN, _THEIRS = b"<<<<<<< ", b"||||||| ", b"=======", b">>>>>>> "


def sides_of(data: bytes) -> tuple[bytes, ...]:
    """Return the two texts that a merge could not join, the checked-out one first; none if the text holds no whole
    conflict. Both hold the lines that they have in common."""
    sides = bytearray(), bytearray()
    into: tuple[bytearray, ...] = sides
    is_open = has_conflict = False
    for line in data.splitlines(keepends=True):
        if line.startswith(_OURS) and not is_open:
            is_open, into = True, sides[:1]
        elif is_open and line.startswith(_BASE):
            into = ()
        elif is_open and line.rstrip(b"\r\n") == _BETWEEN:
            into = sides[1:]
        elif is_open and line.startswith(_THEIRS):
            is_open, has_conflict, into = False, True, sides
        else:
            for side in into:
                side += line
    return tuple(map(bytes, sides)) if has_conflict and not is_open else ()
