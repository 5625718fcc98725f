"""A large PNG, decoded a band of rows at a time.

The rows are inflated as the bands ask for them. Undoing the filters is left to the library that reads every other
picture: a band's filtered rows, behind the last row of the band before, are themselves a PNG once they are wrapped in
one (deflate blocks that are stored, not packed). Cost beside decoding: a few copies of the rows.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterable, Iterator

import numpy as np

from ..core.pixels import Pixels
from ..core.png_chunks import CHANNELS, GRAY, INDEXED, RGB, RGBA, SIGNATURE, PictureError, chunk, chunks, header
from .pictures import read_still

KINDS = (GRAY, RGB, INDEXED, RGBA)
"""The color types that sheets have."""

BAND_PIXELS = 1 << 20
"""Bytes that are inflated at a time."""


def can_be_banded(data: bytes) -> bool:
    """Return True if this is a PNG of up to 8 bits a channel, of a kind that sheets are, stored from top to bottom."""
    is_png = data.startswith(SIGNATURE) and data[12:16] == b"IHDR" and len(data) > 29
    if not is_png or data[25] not in KINDS or data[28] != 0 or b"acTL" in data[:4096]:
        return False
    return data[24] == 8 or (data[24] < 8 and CHANNELS[data[25]] == 1)


def png_bands(data: bytes, rows: int) -> Iterator[Pixels]:
    """Yield bands of rows (the last may be shorter), shape (rows, w, 4), straight alpha, of a picture that can be
    banded. Raises PictureError for damage, including wrong checksums."""
    content = list(chunks(data))
    width, height, depth, kind = struct.unpack_from(">IIBB", data, 16)
    length = -(-width * depth * CHANNELS[kind] // 8)
    palette = [(name, part) for name, part in content if name in (b"PLTE", b"tRNS")]
    lines = _lines((part for name, part in content if name == b"IDAT"), 1 + length)
    above = bytes(length)
    for start in range(0, height, rows):
        count = min(rows, height - start)
        filtered = b"".join((b"\0", above, *(next(lines) for _ in range(count))))
        if CHANNELS[kind] == 1:  # indices and grays are taken as bytes first
            raw = read_still(_wrapped(length, count + 1, 8, GRAY, [], filtered), length * (count + 1))[..., 0]
            plain = np.zeros((count + 1, 1 + length), np.uint8)
            plain[:, 1:] = raw
            yield read_still(_wrapped(width, count + 1, depth, kind, palette, plain.tobytes()), width * (count + 1))[1:]
        else:
            pixels = read_still(_wrapped(width, count + 1, depth, kind, palette, filtered), width * (count + 1))
            raw = pixels[..., : CHANNELS[kind]]
            yield pixels[1:]
        above = raw[-1].tobytes()


def _lines(parts: Iterable[memoryview], length: int) -> Iterator[bytes]:
    """The filtered rows, each of so many bytes, as they are inflated."""
    inflate = zlib.decompressobj()
    held = bytearray()
    try:
        for part in parts:
            rest: bytes | memoryview = part
            while rest:
                held += inflate.decompress(rest, BAND_PIXELS)
                rest = inflate.unconsumed_tail
                whole = len(held) // length * length
                yield from (bytes(held[at : at + length]) for at in range(0, whole, length))
                del held[:whole]
    except zlib.error as error:
        raise PictureError(f"is damaged: {error}") from None
    raise PictureError("is cut short")


def _wrapped(
    width: int, height: int, depth: int, kind: int, more: Iterable[tuple[bytes, bytes | memoryview]], rows: bytes
) -> bytes:
    """Filtered rows as a PNG that is not packed."""
    more = (*more, (b"IDAT", zlib.compress(rows, 0)), (b"IEND", b""))
    return header(width, height, depth, kind) + b"".join(chunk(name, content) for name, content in more)
