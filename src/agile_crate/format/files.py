"""Metadata files of either form, told apart by their contents."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import NamedTuple

from ..core.errors import InputError, reason
from ..core.model.crate import FORMAT, Crate
from ..core.text import bytes_shown, shown
from .json_form import from_json

ENDINGS = (".json", ".xml")
"""Of the two forms: each says everything, and a build is known again by either."""

LARGEST_METADATA = 1 << 28
"""Bytes. Above a million frames; more is refused before it is read."""

_HEAD = 4096
_MARK = b"\xef\xbb\xbf"
"""That some editors put before UTF-8."""


class Outputs(NamedTuple):
    """What an earlier build wrote: its sheets with the SHA-256 of each, and its text files."""

    images: dict[str, str]
    files: tuple[str, ...]


NOTHING = Outputs({}, ())


def looks_like_metadata(path: str) -> bool:
    """Whether a file is metadata, JSON or XML, and not a picture, by its first bytes or, if it cannot be read, by its
    name."""
    if os.path.isdir(path):
        return False
    try:
        with open(path, "rb") as stream:
            return stream.read(64).removeprefix(_MARK).lstrip()[:1] in (b"{", b"<")
    except OSError:
        return path.endswith(ENDINGS)


def read_metadata(path: str | Path) -> Crate:
    """The crate that a metadata file describes. Raises InputError that names the file and the place in it."""
    try:
        if os.path.getsize(path) > LARGEST_METADATA:
            raise InputError(
                f"{shown(str(path))} is larger than {bytes_shown(LARGEST_METADATA)}, which is too large for metadata"
            )
        data = Path(path).read_bytes()
    except OSError as error:
        raise InputError(f"{shown(str(path))} cannot be read: {reason(error)}") from None
    if data.removeprefix(_MARK).lstrip()[:1] == b"<":
        from .xml_form import from_xml

        return from_xml(data, str(path))
    try:
        return from_json(data.decode("utf-8-sig"), str(path))
    except UnicodeDecodeError:
        raise InputError(f"{shown(str(path))} is not text in UTF-8; name the metadata file, not the picture") from None


def is_ours(path: str | Path) -> bool:
    """Whether a file that is there names our format at its beginning, sound or not."""
    try:
        with open(path, "rb") as stream:
            return FORMAT.encode() in stream.read(_HEAD)
    except OSError:
        return False


def outputs_of_build(path: str | Path) -> Outputs:
    """What the build wrote that a metadata file is of; nothing if it is not there, not ours, or cannot be read.

    Of JSON nothing else is looked at.
    """
    try:
        with open(path, "rb") as stream:
            head = stream.read(_HEAD)
            if FORMAT.encode() not in head:
                return NOTHING
            if head.removeprefix(_MARK).lstrip()[:1] == b"<":
                crate = read_metadata(path)
                return Outputs({sheet.image: sheet.sha256 for sheet in crate.sheets}, crate.files)
            document = json.loads(head + stream.read())
        if document["format"] != FORMAT:
            return NOTHING
        images = {str(sheet["image"]): str(sheet["sha256"]) for sheet in document["sheets"]}
        return Outputs(images, tuple(map(str, document.get("files", ()))))
    except (OSError, ValueError, TypeError, KeyError, RecursionError, InputError):
        return NOTHING
