"""The chunk structure of PNG files (W3C PNG Specification, third edition, clause 5): whole, in order, checksums right.

Pillow skips the checksums of pixel data, so a flipped bit can pass as a picture; this does not let it.
"""

import struct
from collections.abc import Iterator

from zlib_ng.zlib_ng import crc32

from .errors import MessageError

SIGNATURE = b"\x89PNG\r\n\x1a\n"

GRAY, RGB, INDEXED, GRAY_ALPHA, RGBA = 0, 2, 3, 4, 6
"""The color types' numbers in the file (clause 11.2.1)."""

CHANNELS = {GRAY: 1, RGB: 3, INDEXED: 1, GRAY_ALPHA: 2, RGBA: 4}


class PictureError(MessageError, ValueError):
    """The reason why a picture cannot be read, as the end of a sentence that begins with its path."""


def chunks(data: bytes, checked: bool = True) -> Iterator[tuple[bytes, memoryview]]:
    """Yield each chunk's type and contents, as views of `data`, up to and including IEND. Cost: one CRC pass, if
    `checked`.

    Raises PictureError when the file ends too early, a checksum does not match, or the header does not appear once, as
    its first chunk.
    """
    view = memoryview(data)
    position = len(SIGNATURE)
    while True:
        if position + 12 > len(data):
            raise PictureError("is cut short")
        (length,) = struct.unpack_from(">I", data, position)
        end = position + 12 + length
        if end > len(data):
            raise PictureError("is cut short")
        kind = data[position + 4 : position + 8]
        if (kind == b"IHDR") != (position == len(SIGNATURE)):  # clause 5.6: it comes first, and once
            raise PictureError("is damaged: its header is missing or repeated")
        (checksum,) = struct.unpack_from(">I", data, end - 4)
        if checked and crc32(view[position + 4 : end - 4]) != checksum:
            raise PictureError(f"is damaged: the checksum of its {kind.decode('latin-1')!r} part is wrong")
        yield kind, view[position + 8 : end - 4]
        if kind == b"IEND":
            return
        position = end


def chunk(kind: bytes, content: bytes | memoryview) -> bytes:
    """A chunk as it stands in the file: its length, type, contents and checksum."""
    return b"".join((struct.pack(">I", len(content)), kind, content, struct.pack(">I", crc32(content, crc32(kind)))))


def header(width: int, height: int, depth: int, kind: int) -> bytes:
    """Return how a file begins whose rows are stored from top to bottom (clause 11.2.1)."""
    return SIGNATURE + chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, depth, kind, 0, 0, 0))
