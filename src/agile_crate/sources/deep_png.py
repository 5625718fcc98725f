"""PNG files with 16 bits a channel, read to 8 bits with rounding.

Pillow drops the low byte, which darkens by up to one level and turns 0x00ff into 0. This reads all five steps
itself: chunks, inflate, unfilter, deinterlace (W3C PNG Specification, third edition, clauses 7 to 10), and round.
"""

from __future__ import annotations

import struct
import zlib

import numpy as np
from numpy.typing import NDArray

from ..core.pixels import Pixels
from ..core.png_chunks import CHANNELS, INDEXED, PictureError, chunks

ADAM7 = ((0, 0, 8, 8), (4, 0, 8, 8), (0, 4, 4, 8), (2, 0, 4, 4), (0, 2, 2, 4), (1, 0, 2, 2), (0, 1, 1, 2))
"""The seven interlace passes: first column, first row, step right, step down (clause 8.1)."""


def is_deep_png(data: bytes) -> bool:
    """Whether PNG data has 16 bits a channel, by its header."""
    return data[12:16] == b"IHDR" and data[24:25] == b"\x10"


def read_deep_png(data: bytes) -> Pixels:
    """The picture as 8-bit RGBA, new array of shape (h, w, 4). The caller has checked the header's dimensions.

    Raises PictureError when the pixel data is missing, short or invalid.
    """
    header, transparent, packed = b"", b"", []
    for kind, content in chunks(data):
        if kind == b"IHDR":
            header = bytes(content)
        elif kind == b"tRNS":
            transparent = bytes(content)
        elif kind == b"IDAT":
            packed.append(content)
    width, height, _, colour, _, _, interlaced = struct.unpack(">IIBBBBB", header)
    if colour not in CHANNELS or colour == INDEXED:
        raise PictureError("is damaged: its colour type does not exist with 16 bits")
    channels = CHANNELS[colour]
    values = _unpacked(b"".join(packed), width, height, channels, bool(interlaced))
    return _rounded_rgba(values, transparent)


def _unpacked(packed: bytes, width: int, height: int, channels: int, interlaced: bool) -> NDArray[np.uint16]:
    steps = ADAM7 if interlaced else ((0, 0, 1, 1),)
    passes = [(x, y, dx, dy, -(-(width - x) // dx), -(-(height - y) // dy)) for x, y, dx, dy in steps]
    passes = [p for p in passes if p[4] > 0 and p[5] > 0]
    expected = sum(h * (1 + 2 * channels * w) for *_, w, h in passes)
    try:
        raw = zlib.decompressobj().decompress(packed, expected)
    except zlib.error:
        raise PictureError("is damaged: its pixel data cannot be unpacked") from None
    if len(raw) < expected:
        raise PictureError("is cut short")
    values = np.empty((height, width, channels), np.uint16)
    position = 0
    for x, y, dx, dy, w, h in passes:
        length = h * (1 + 2 * channels * w)
        rows = np.frombuffer(raw, np.uint8, length, position).reshape(h, -1)
        values[y::dy, x::dx] = np.ascontiguousarray(_unfiltered(rows, 2 * channels)).view(">u2")
        position += length
    return values


def _unfiltered(rows: NDArray[np.uint8], stride: int) -> NDArray[np.uint8]:
    """Undoes the row filters (clause 9) of rows that each begin with their filter's number.

    A byte depends on those to its left, above, and above left, so the pixels on one anti-diagonal depend only on
    earlier ones: each anti-diagonal is done at once.
    Cost: width + height steps of NumPy on at most as many pixels as the shorter side has; memory for the result and one
    row and column more. Returns shape (h, w, stride).
    """
    height, width = len(rows), (rows.shape[1] - 1) // stride
    kind = rows[:, 0]
    if kind.max() > 4:
        raise PictureError("is damaged: a row has an unknown filter")
    framed = np.zeros((height + 1, width + 1, stride), np.uint8)  # an empty row above, and an empty column on the left
    framed[1:, 1:] = rows[:, 1:].reshape(height, width, stride)
    flat, pitch = framed.reshape(-1, stride), width + 1
    for step in range(width + height - 1):
        first, last = max(0, step - width + 1), min(height, step + 1)
        begin = (first + 1) * pitch + step - first + 1
        at = slice(begin, begin + (last - first - 1) * width + 1, width or 1)  # a row down and a column to the left
        here, filters = flat[at], kind[first:last]
        left, above, corner = (
            flat[at.start - back : at.stop - back : at.step].astype(np.int16) for back in (1, pitch, pitch + 1)
        )
        by_left, by_above, by_corner = np.abs(above - corner), np.abs(left - corner), np.abs(left + above - 2 * corner)
        nearest = np.where(
            (by_left <= by_above) & (by_left <= by_corner), left, np.where(by_above <= by_corner, above, corner)
        )
        guesses = np.stack((np.zeros_like(left), left, above, (left + above) // 2, nearest))
        here += guesses[filters, np.arange(last - first)].astype(np.uint8)
    return framed[1:, 1:]


def _rounded_rgba(values: NDArray[np.uint16], transparent: bytes) -> Pixels:
    channels = values.shape[2]
    rounded = rounded_to_bytes(values)
    result = np.full((*values.shape[:2], 4), 255, np.uint8)
    colours = 3 if channels >= 3 else 1
    result[..., :3] = rounded[..., :colours]
    if channels in (2, 4):
        result[..., 3] = rounded[..., -1]
    elif len(transparent) == 2 * channels:
        result[(values == np.frombuffer(transparent, ">u2")).all(axis=2), 3] = 0
    return result


def rounded_to_bytes(values: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """16-bit values as the nearest 8-bit ones: v × 255 / 65535, halves up (they do not occur). A new array."""
    return ((values.astype(np.uint32) + 128) // 257).astype(np.uint8)
