"""PNG files with 16 bits a channel, read to 8 bits with rounding.

Pillow drops the low byte, which darkens by up to one level and turns 0x00ff into 0. libspng decodes all 16 bits, and
this rounds them, a few rows at a time.
"""

from __future__ import annotations

import struct

import numpy as np
from numpy.typing import NDArray

from ..core.pixels import Pixels
from ..core.png_chunks import CHANNELS, GRAY_ALPHA, INDEXED, RGBA, SIGNATURE, PictureError, chunk, chunks

BAND_PIXELS = 1 << 20
"""Pixels that are rounded at a time, so that their wider numbers take little memory."""


def is_deep_png(data: bytes) -> bool:
    """Return True if PNG data has 16 bits a channel, by its header."""
    return data[12:16] == b"IHDR" and data[24:25] == b"\x10"


def read_deep_png(data: bytes) -> Pixels:
    """The picture as 8-bit RGBA, new array of shape (h, w, 4). The caller has checked the header's dimensions.

    Raises PictureError when the pixel data is missing, short or invalid.
    """
    header, transparent = b"", b""
    for kind, content in chunks(data):
        if kind == b"IHDR":
            header = bytes(content)
        elif kind == b"tRNS":
            transparent = bytes(content)
    width, height, _, color = struct.unpack(">IIBB", header[:10])
    if color not in CHANNELS or color == INDEXED:
        raise PictureError("is damaged: its color type does not exist with 16 bits")
    if color == GRAY_ALPHA:  # libspng has no such format of 16 bits
        values = _decoded(_as_bytes(data, header)).view(">u2")
    else:
        values = _decoded(data).reshape(height, width, -1)
    if values.shape[:2] != (height, width):
        raise PictureError("is damaged: it cannot be decoded")
    named = np.frombuffer(transparent, ">u2") if len(transparent) == 2 * CHANNELS[color] else None
    return _rounded_rgba(values, color, named)


def _decoded(data: bytes) -> NDArray[np.uint16]:
    from pyspng import load

    try:
        values: NDArray[np.uint16] = load(data)
    except Exception as error:  # whatever libspng says of damaged data
        cut = "short" in str(error) or "EOF" in str(error)
        raise PictureError("is cut short" if cut else "is damaged: its pixel data cannot be unpacked") from None
    return values


def _as_bytes(data: bytes, header: bytes) -> bytes:
    """The PNG with each pixel of two 16-bit channels as one of four 8-bit channels. Filters and interlacing work on the
    bytes of a pixel (clause 9.2), so they stay what they are."""
    packed = [chunk(kind, content) for kind, content in chunks(data, checked=False) if kind == b"IDAT"]
    wide = chunk(b"IHDR", header[:8] + bytes((8, RGBA)) + header[10:])
    return b"".join((SIGNATURE, wide, *packed, chunk(b"IEND", b"")))


def _rounded_rgba(values: NDArray[np.uint16], color: int, transparent: NDArray[np.uint16] | None) -> Pixels:
    """Round deep values of shape (h, w, channels), with alpha last for 2 or 4 channels, to RGBA."""
    height, width, channels = values.shape
    result = np.full((height, width, 4), 255, np.uint8)
    step = max(1, BAND_PIXELS // width)
    for top in range(0, height, step):
        band, part = values[top : top + step], result[top : top + step]
        rounded = rounded_to_bytes(band)
        part[..., :3] = rounded[..., : 3 if channels >= 3 else 1]
        if color in (GRAY_ALPHA, RGBA):
            part[..., 3] = rounded[..., -1]
        elif transparent is not None:
            part[(band[..., : len(transparent)] == transparent).all(axis=2), 3] = 0
    return result


def rounded_to_bytes(values: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """16-bit values as the nearest 8-bit ones: v × 255 / 65535, halves up (they do not occur). A new array."""
    return ((values.astype(np.uint32) + 128) // 257).astype(np.uint8)
