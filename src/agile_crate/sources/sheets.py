"""Sheets, read back from their files."""

from __future__ import annotations

import dataclasses
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Executor, Future
from dataclasses import dataclass
from pathlib import Path

from ..core.errors import InputError, reason
from ..core.limits import Limits
from ..core.message import a_file, message
from ..core.model.geometry import Size
from ..core.model.sheet import Sheet
from ..core.pixels import Pixels
from ..core.png_chunks import PictureError
from ..core.text import measured, quoted
from ..format.regular import read_regular
from ..format.seal import binary_sha256
from .pictures import picture_size, read_still
from .png_bands import can_be_banded, png_bands

AHEAD = 1
"""Sheets that are read while one is looked at: more would only take memory."""


def read_bare_sheet(path: str, limits: Limits) -> tuple[bytes, Pixels]:
    """Return the file of a sheet without metadata, and its pixels, shape (h, w, 4). Raises InputError."""
    try:
        data = read_regular(path, limits, "file_bytes")
        return data, read_still(data, limits.sheet_pixels)
    except OSError as error:
        raise InputError("{} cannot be read: {}", a_file(path), reason(error)) from None
    except PictureError as error:
        raise InputError("{} {}", a_file(path), error.message) from None


def sheet_bytes(folder: Path, sheet: Sheet, limits: Limits) -> bytes:
    """The image file of a sheet that has been read before, as it is."""
    return read_regular(folder / sheet.image, limits, "file_bytes")


@dataclass(slots=True)
class FoundSheet:
    """A sheet file's content: its pixels, if wanted and usable; its digest; its problems; and sentences about
    changes."""

    problems: list[str] = dataclasses.field(default_factory=list)
    changed: str = ""
    remark: str = ""
    pixels: Pixels | None = None
    sha256: str = ""


def read_sheets(
    folder: Path, sheets: Sequence[Sheet], decode: bool, executor: Executor, limits: Limits
) -> Iterator[tuple[Sheet, FoundSheet]]:
    """Yield each sheet; while the caller works on it, the next is read. Repeated edges need pixels."""
    waiting: deque[Future[FoundSheet]] = deque()
    for index, sheet in enumerate(sheets):
        for ahead in sheets[index + len(waiting) : index + 1 + AHEAD]:
            waiting.append(executor.submit(read_sheet, folder, ahead, decode or bool(ahead.edge_repeat), limits))
        yield sheet, waiting.popleft().result()


def sheet_bands(folder: Path, sheet: Sheet, rows: int, limits: Limits) -> Iterator[Pixels]:
    """Yield a checked sheet in bands of rows; if the file format allows it, each is decoded on demand. Raises
    InputError."""
    data = sheet_bytes(folder, sheet, limits)
    try:
        if can_be_banded(data):
            yield from png_bands(data, rows)
        else:
            whole = read_still(data, limits.sheet_pixels)
            yield from (whole[start : start + rows] for start in range(0, len(whole), rows))
    except PictureError as error:
        raise InputError("sheet {} {}", quoted(sheet.image), error.message) from None


def read_sheet(folder: Path, sheet: Sheet, decode: bool, limits: Limits) -> FoundSheet:
    """Read a sheet's file: its faults, and with `decode` its pixels if it decodes to the right size."""
    found = FoundSheet()
    name = quoted(sheet.image)
    try:
        data = read_regular(folder / sheet.image, limits, "file_bytes")
    except OSError as error:
        found.problems.append(message("sheet {} cannot be read: {}", name, reason(error)))
        return found
    found.sha256 = binary_sha256(data)
    if not sheet.sha256:
        found.remark = f"sheet {name} has no digest in the metadata, so nobody can tell whether it was changed"
    elif found.sha256 != sheet.sha256:
        found.changed = f"sheet {name} was changed since it was written"
    try:
        pixels = read_still(data, limits.sheet_pixels) if decode else None
        size = (
            Size(pixels.shape[1], pixels.shape[0])
            if pixels is not None
            else picture_size(data, limits.sheet_pixels, limits)
        )
    except PictureError as error:
        found.problems.append(message("sheet {} {}", name, error.message))
        return found
    if size != sheet.size:
        found.problems.append(f"sheet {name} is {measured(size)}, and the metadata says {measured(sheet.size)}")
    else:
        found.pixels = pixels
    return found
