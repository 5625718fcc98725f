"""PNG files of 8-bit red, green, blue and alpha with nothing odd about them: what nearly every frame is.

They are decoded by libspng, in a third of the time that Pillow takes for small ones, most of which it spends within
the interpreter. Everything else, and whatever libspng does not like, is left to Pillow, which knows what to say of it.
"""

from __future__ import annotations

import struct

from ..core.model.geometry import Size
from ..core.pixels import Pixels
from ..core.png_chunks import SIGNATURE, PictureError, chunks

PARTS = frozenset({b"IHDR", b"IDAT", b"IEND", b"pHYs", b"tIME", b"bKGD", b"sBIT", b"sRGB", b"tEXt"})
"""Chunks that do not change how the pixels are to be taken; a text may hold an orientation note."""

NOTES = (b"Raw profile type", b"XML:")


MEASURED_PARTS = (b"PLTE", b"tRNS")
"""Chunks that may be in a picture as well that is as large as its header says, upright, and sRGB."""


def plain_size(data: bytes) -> Size | None:
    """The size of the one picture in PNG data, by its header; None if that does not tell all."""
    if not data.startswith(SIGNATURE) or data[12:16] != b"IHDR":
        return None
    try:
        parts = chunks(data, checked=False)
        if not all(kind in MEASURED_PARTS or is_plain_part(kind, content) for kind, content in parts):
            return None
    except PictureError:
        return None
    return Size(*struct.unpack_from(">II", data, 16))


def has_plain_pixels(data: bytes) -> bool:
    """Whether PNG data has 8 bits a channel, and red, green, blue and alpha, by its header."""
    return data[12:16] == b"IHDR" and data[24:26] == b"\x08\x06"


def is_plain_part(kind: bytes, content: memoryview) -> bool:
    """Whether a chunk leaves the pixels what they are."""
    return kind in PARTS and not (kind == b"tEXt" and bytes(content[:16]).startswith(NOTES))


def read_plain_png(data: bytes, largest: int) -> Pixels | None:
    """The pixels, read-only, of shape (h, w, 4); None where they are more than `largest`, or libspng refuses."""
    from pyspng import load

    width, height = struct.unpack_from(">II", data, 16)
    if not 0 < width * height <= largest:
        return None
    try:
        pixels: Pixels = load(data)
    except Exception:  # Pillow says what is wrong, if anything is
        return None
    if pixels.shape != (height, width, 4):
        return None
    pixels.flags.writeable = False
    return pixels
