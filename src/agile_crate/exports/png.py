"""PNG images, written on several threads (W3C PNG Specification, third edition).

The rows are filtered with NumPy and deflated by zlib-ng in strips. Each strip is a raw deflate stream that begins
with the last 32 KB of the strip before as its dictionary and ends on a byte boundary (a sync flush), so the
strips join into the one zlib stream (RFC 1950) that every reader expects; the Adler-32 checksums are combined
as zlib does. Strips have a fixed height, so the bytes are the same whatever the number of threads.

One filter serves the whole sheet: the one that deflates a sample of rows smallest. Painted art wants
`up` or `average`, pixel art often none; choosing row by row gains about one per cent and costs many times more.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from concurrent.futures import Executor
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from zlib_ng import zlib_ng

from ..core.model.geometry import Size
from ..core.pixels import Pixels
from ..core.png_chunks import INDEXED, RGB, RGBA, chunk, header

DEFLATE_LEVEL = 4
"""Of zlib-ng's 1 to 9. Level 5 and 6 gain 1 to 3 % on painted sheets and take 1.2 to 1.7 times as long."""

STRIP_BYTES = 1 << 19
WINDOW_BYTES = 1 << 15
SAMPLE_PARTS, SAMPLE_BYTES = 8, 1 << 15
"""The filter is chosen on up to this many pieces of about this many bytes, spread evenly over the first band."""

BAND_BYTES = 1 << 26
"""As much of a sheet as is drawn at once: all of one of 4096×4096. Narrower bands save little and cost some time."""

NONE, SUB, UP, AVERAGE = range(4)
"""The filters' numbers in the file (clause 9.2)."""

_ADLER = 65_521

Rows = NDArray[np.uint8]

RowsOf = Callable[[range], Rows]
"""Any rows of a picture, shape (rows, w, channels), or (rows, w) of indices: asked for from top to bottom."""


def encode_png(pixels: Pixels, executor: Executor, palette: Pixels | None = None) -> Iterator[bytes]:
    """The file's bytes, piece by piece, of a picture, uint8: (h, w, 4) with straight alpha, (h, w, 3) without alpha, or
    (h, w) with a `palette` of shape (n, 4), of which each pixel names an entry; those not opaque come first.

    Strips are deflated ahead on the executor's threads; beside the picture itself only strips are held in memory.
    """
    size = Size(pixels.shape[1], pixels.shape[0])
    return encode_rows(size, lambda rows: pixels[rows.start : rows.stop], executor, palette)


def encode_rows(size: Size, rows_of: RowsOf, executor: Executor, palette: Pixels | None = None) -> Iterator[bytes]:
    """Encode as `encode_png` does, with at most a band of about BAND_BYTES and a few rows in memory.

    The bands begin and end where strips do, so the bytes are those of the whole picture.
    """
    width, height = size
    starts = strip_starts(width, height)
    depth = 8 if palette is None else _depth(len(palette))
    filtering, checksum = NONE, 1
    for band in bands(size):
        first = max(0, band.start - rows_above(width))
        rows, channels = _flat(rows_of(range(first, band.stop)), depth)
        if band.start == 0:
            filtering = _best_filter(rows, channels)
            colored = RGB if channels == 3 else RGBA
            kind = colored if palette is None else INDEXED
            yield header(width, height, depth, kind)
            if palette is not None:
                yield from _palette_chunks(palette)
        strips = executor.map(
            partial(_strip, rows, height - first, filtering, channels),
            range(band.start - first, band.stop - first, starts.step),
            range(band.start - first + starts.step, band.stop - first + starts.step, starts.step),
        )
        for start, (packed, adler, length) in zip(range(band.start, band.stop, starts.step), strips, strict=True):
            checksum = adler32_combine(checksum, adler, length)
            last = start == starts[-1]
            yield chunk(
                b"IDAT", (b"\x78\x5e" if start == 0 else b"") + packed + (struct.pack(">I", checksum) if last else b"")
            )
    yield chunk(b"IEND", b"")


def _flat(seen: Rows, depth: int) -> tuple[Rows, int]:
    """Return rows as the file has them before filtering, and the number of bytes that a filter takes together."""
    if seen.ndim == 2:
        return _packed_rows(seen, depth), 1
    return np.ascontiguousarray(seen).reshape(len(seen), -1), seen.shape[2]


def rows_above(width: int) -> int:
    """Return how many rows above a band are asked for with it, at most: a strip refers to so many bytes, of at least a
    bit a pixel."""
    return 1 + -(-WINDOW_BYTES // (1 + width // 8))


def bands(size: Size) -> Iterator[range]:
    """The rows of a picture in parts of about BAND_BYTES, each of whole strips."""
    step = strip_starts(*size).step
    tall = step * max(1, BAND_BYTES // (step * 4 * size.w))
    for start in range(0, size.h, tall):
        yield range(start, min(start + tall, size.h))


def _depth(colors: int) -> int:
    """Return the bits of an index: the fewest of 1, 2, 4 and 8 that suffice for the colors."""
    return next(bits for bits in (1, 2, 4, 8) if colors <= 1 << bits)


def _packed_rows(indices: Rows, depth: int) -> Rows:
    """Indices of `depth` bits, the leftmost in the highest bits of each byte (clause 7.2)."""
    if depth == 8:
        return np.ascontiguousarray(indices)
    height, width = indices.shape
    each = 8 // depth
    padded = np.zeros((height, -(-width // each) * each), np.uint8)
    padded[:, :width] = indices
    packed = np.zeros((height, padded.shape[1] // each), np.uint8)
    for place in range(each):
        packed |= padded[:, place::each] << (8 - depth * (place + 1))
    return packed


def _palette_chunks(palette: Pixels) -> Iterator[bytes]:
    """The colors, and the alpha of those that are not opaque (clauses 11.2.2 and 11.3.1.1)."""
    yield chunk(b"PLTE", palette[:, :3].tobytes())
    if see_through := int(np.count_nonzero(palette[:, 3] < 255)):
        yield chunk(b"tRNS", palette[:see_through, 3].tobytes())


def strip_starts(width: int, height: int) -> range:
    """The first row of each strip. It depends on nothing but the size, and neither do the bytes."""
    return range(0, height, max(1, STRIP_BYTES // (4 * width + 1)))


def adler32_combine(first: int, second: int, length: int) -> int:
    """The Adler-32 (RFC 1950, section 9) of two pieces of data, from that of each and the length of the second."""
    low = ((first & 0xFFFF) + (second & 0xFFFF) - 1) % _ADLER
    high = ((first >> 16) + (second >> 16) + length * ((first & 0xFFFF) - 1)) % _ADLER
    return high << 16 | low


def _strip(rows: Rows, end: int, kind: int, channels: int, start: int, stop: int) -> tuple[bytes, int, int]:
    """Deflate rows `start` to `stop`; return the data, and the Adler-32 and length of the input. The picture stops at
    `end`."""
    plain = _filtered(rows, start, stop, kind, channels)
    before = -(-WINDOW_BYTES // plain.shape[1])
    window = _filtered(rows, max(0, start - before), start, kind, channels).tobytes()[-WINDOW_BYTES:]
    deflate = _deflate(window)
    ending = zlib_ng.Z_FINISH if stop >= end else zlib_ng.Z_SYNC_FLUSH
    return deflate.compress(plain) + deflate.flush(ending), zlib_ng.adler32(plain), plain.size


def _deflate(window: bytes = b"") -> Any:
    raw = (DEFLATE_LEVEL, zlib_ng.DEFLATED, -zlib_ng.MAX_WBITS, 9, zlib_ng.Z_DEFAULT_STRATEGY)
    return zlib_ng.compressobj(*raw, window) if window else zlib_ng.compressobj(*raw)


def _filtered(rows: Rows, start: int, stop: int, kind: int, channels: int) -> Rows:
    """Filter rows `start` to `stop`, each after its filter's number (clause 9.2): shape (rows, 1 + row length), new."""
    here = rows[start:stop]
    result = np.empty((len(here), rows.shape[1] + 1), np.uint8)
    result[:, 0] = kind
    filtered = result[:, 1:]
    if kind == NONE or len(here) == 0:
        filtered[:] = here
    elif kind == SUB:
        filtered[:, :channels] = here[:, :channels]
        np.subtract(here[:, channels:], here[:, :-channels], out=filtered[:, channels:])
    elif kind == UP:
        np.subtract(here, _above(rows, start, stop), out=filtered)
    else:
        above = _above(rows, start, stop)
        guess = above >> 1  # the left neighbor of the first pixel is 0
        left, above = here[:, :-channels], above[:, channels:]
        guess[:, channels:] = (left & above) + ((left ^ above) >> 1)  # the floor of their mean, without a wider type
        np.subtract(here, guess, out=filtered)
    return result


def _above(rows: Rows, start: int, stop: int) -> Rows:
    """The rows one above `start` to `stop`; above the first row all is 0."""
    if start > 0:
        return rows[start - 1 : min(stop, len(rows)) - 1]
    return np.concatenate((np.zeros_like(rows[:1]), rows[: min(stop, len(rows)) - 1]))


def _best_filter(rows: Rows, channels: int) -> int:
    count = max(1, SAMPLE_BYTES // rows.shape[1])
    starts = sorted({(len(rows) - count) * part // max(1, SAMPLE_PARTS - 1) for part in range(SAMPLE_PARTS)})
    if count * len(starts) >= len(rows):
        starts, count = [0], len(rows)

    def packed_size(kind: int) -> int:
        deflate = _deflate()
        sample = (_filtered(rows, start, start + count, kind, channels) for start in starts)
        return sum(len(deflate.compress(piece)) for piece in sample) + len(deflate.flush())

    return min((NONE, SUB, UP, AVERAGE), key=lambda kind: (packed_size(kind), kind))


OXIPNG_LEVEL = 6
"""Of oxipng's 0 to 6. Its other deflate (Zopfli) gains another 1 to 4 % and takes 30 times as long."""


def optimized(png: bytes, executor: Executor) -> bytes:
    """The same picture in fewer bytes, or the same bytes if none are fewer.

    Every pixel stays, colors under transparent ones too. On a thread, so that an interruption is heard meanwhile.
    """
    import oxipng

    work = executor.submit(oxipng.optimize_from_memory, png, level=OXIPNG_LEVEL, optimize_alpha=False)
    result: bytes = work.result()
    return result
