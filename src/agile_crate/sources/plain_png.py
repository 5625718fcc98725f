"""Plain PNG files of 8-bit red, green, blue and alpha, as nearly every frame is.

They are decoded by libspng, in a third of the time that Pillow takes for small ones, most of which it spends within
the interpreter. Everything else, and whatever libspng does not like, is left to Pillow, which knows what to say of it.
"""

from __future__ import annotations

import struct

from ..core.limits import Limits
from ..core.model.geometry import Size
from ..core.pixels import Pixels
from ..core.png_chunks import SIGNATURE, PictureError, chunks
from ..core.text import counted

PARTS = frozenset({b"IHDR", b"IDAT", b"IEND", b"pHYs", b"tIME", b"bKGD", b"sBIT", b"sRGB", b"tEXt"})
"""Chunks that do not change how the pixels are to be taken; a text may hold an orientation note."""

NOTES = (b"Raw profile type", b"XML:")


MEASURED_PARTS = (b"PLTE", b"tRNS")
"""Chunks that may be in a picture as well that is as large as its header says, upright, and sRGB."""


def plain_size(data: bytes) -> Size | None:
    """Return the size of the one picture in PNG data, from its header; None if the header does not suffice."""
    if not data.startswith(SIGNATURE) or data[12:16] != b"IHDR":
        return None
    try:
        parts = chunks(data, checked=False)
        if not all(kind in MEASURED_PARTS or is_plain_part(kind, content) for kind, content in parts):
            return None
    except PictureError:
        return None
    return Size(*struct.unpack_from(">II", data, 16))


def read_if_plain(data: bytes, largest: int, limits: Limits) -> tuple[Pixels | None, bytes]:
    """Return the pixels of a plain PNG, and the orientation note of any PNG, after checking all chunks and checksums.
    Raises PictureError."""
    if not data.startswith(SIGNATURE):
        return None, b""
    orientation, is_plain = _checked_png(data)
    return (read_plain_png(data, largest, limits) if is_plain else None), orientation


def _checked_png(data: bytes) -> tuple[bytes, bool]:
    """Check all parts of a PNG. Return its orientation note, and True if it is plain: one picture with no chunk that
    changes the meaning of its pixels. Raises PictureError if it holds fewer pictures than it claims, or several of 16
    bits."""
    orientation, declared, held, is_plain = b"", 0, 0, data[12:16] == b"IHDR" and data[24:26] == b"\x08\x06"
    for kind, content in chunks(data):
        is_plain = is_plain and is_plain_part(kind, content)
        if kind == b"eXIf":
            orientation = b"Exif\0\0" + content
        elif kind == b"acTL" and len(content) == 8:
            (declared,) = struct.unpack_from(">I", content)
        held += kind == b"fcTL"
    if declared and held < declared:
        raise PictureError(f"is cut short: {counted(held, 'picture')} of {declared} exist")
    if declared and held > declared:
        raise PictureError(f"is damaged: it holds {counted(held, 'picture')} and declares {declared}")
    if held > 1:
        from .deep_png import is_deep_png

        if is_deep_png(data):
            raise PictureError("is an animation of 16 bits a channel, which cannot be read; save it with 8 bits")
    return orientation, is_plain


def is_plain_part(kind: bytes, content: memoryview) -> bool:
    """Return True if a chunk leaves the pixels what they are."""
    return kind in PARTS and not (kind == b"tEXt" and bytes(content[:16]).startswith(NOTES))


def read_plain_png(data: bytes, largest: int, limits: Limits) -> Pixels | None:
    """The pixels, read-only, of shape (h, w, 4); None where they are more than `largest`, or libspng refuses."""
    from pyspng import load

    width, height = struct.unpack_from(">II", data, 16)
    if not 0 < width * height <= largest or max(width, height) > limits.side_pixels:
        return None
    try:
        pixels: Pixels = load(data)
    except Exception:  # Pillow names the fault, if any
        return None
    if pixels.shape != (height, width, 4):
        return None
    pixels.flags.writeable = False
    return pixels
