"""Frames so small that all of an animation can be kept and compared with each other."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..model.geometry import Box
from ..pixels import Pixels

T = TypeVar("T", np.uint8, np.int16)

SIDE = 64
"""Pixels. No side of a miniature is longer; canvases up to it are kept as they are."""

SAMPLES = 2
"""Pixels across and along, that one of a miniature stands for at most; of more, every so manyth is taken."""

COARSE = 16
"""Pixels. No side is longer where whole animations are compared, each frame with each."""

SKETCH = 8
"""Pixels. No side of a sketch is longer."""

STILL, BETWEEN = 3.0, 1.5
"""Levels of 255 by which sketches of a hardly moving animation differ, and how many times as much as its neighbors a
frame between them may."""

SEEN = 8
"""Alpha, of 255. At or below it (3 %) a pixel cannot be distinguished from the background."""


class Miniature(NamedTuple):
    """A frame on its canvas, shape (h, w, 4), colors multiplied by alpha; each pixel is the mean of `step` ×
    `step`."""

    step: int
    pixels: Pixels


class MiniatureDifference(NamedTuple):
    """The difference of two frames on one canvas, in levels of 255: the root mean square over visible pixels of either,
    and the largest mean of any 3 × 3 pixels."""

    mean: float
    peak: float


SAME = MiniatureDifference(0.0, 0.0)


def miniature(pixels: Pixels, kept: Box | None) -> Miniature:
    """The miniature of a frame, shape (h, w, 4), straight alpha, of which all that is not empty lies in `kept`.

    Cost: two passes over that box.
    """
    height, width = pixels.shape[:2]
    step = -(-max(height, width) // SIDE)
    stride = max(1, step // SAMPLES)
    step = -(-step // stride) * stride
    small = np.zeros((-(-height // step), -(-width // step), 4), np.uint8)
    if kept is None:
        return Miniature(step, small)
    left, top, right, bottom = kept.x // step, kept.y // step, -(-kept.right // step), -(-kept.bottom // step)
    part = pixels[top * step : bottom * step : stride, left * step : right * step : stride]
    alpha = part[..., 3].astype(np.uint16)
    alpha += alpha >> 7  # 0 to 256, so that the shift below is exact for 0 and for 255
    colors = part.astype(np.uint16)
    for channel in range(3):
        colors[..., channel] *= alpha
    colors[..., :3] >>= 8
    small[top:bottom, left:right] = _means(colors, step // stride)
    return Miniature(step, small)


def _means(values: NDArray[np.uint16], step: int) -> NDArray[np.uint16]:
    """The means of all blocks of step × step; zero beyond the edge."""
    if step == 1:
        return values
    height, width = values.shape[:2]
    short = (-height % step, -width % step)
    if any(short):
        values = np.pad(values, ((0, short[0]), (0, short[1]), (0, 0)))
    rows = values[::step].astype(np.uint32)
    for row in range(1, step):
        rows += values[row::step]
    sums = rows[:, ::step].copy()
    for column in range(1, step):
        sums += rows[:, column::step]
    means: NDArray[np.uint16] = ((sums + step * step // 2) // (step * step)).astype(np.uint16)
    return means


def difference(a: Miniature, b: Miniature) -> MiniatureDifference | None:
    """Return how two frames differ; None if their canvases do."""
    if a.pixels.shape != b.pixels.shape:
        return None
    off = a.pixels.astype(np.int16)
    off -= b.pixels
    np.abs(off, out=off)
    most = np.maximum(np.maximum(off[..., 0], off[..., 1]), np.maximum(off[..., 2], off[..., 3]))
    if not most.any():
        return SAME
    seen = int(np.count_nonzero(np.maximum(a.pixels[..., 3], b.pixels[..., 3]) > SEEN))
    values = off.ravel().astype(np.float32)
    mean = float(np.sqrt(np.dot(values, values) / (4 * max(1, seen))))
    return MiniatureDifference(mean, float(with_neighbors(most).max()) / 9)


def with_neighbors(values: NDArray[T]) -> NDArray[T]:
    """The sum of each value with its eight neighbors; zero beyond the edge."""
    padded = np.pad(values, 1)
    rows = padded[:-2] + padded[1:-1] + padded[2:]
    around: NDArray[T] = rows[:, :-2] + rows[:, 1:-1] + rows[:, 2:]
    return around


def coarse(miniatures: Iterable[Miniature]) -> NDArray[np.float32]:
    """Return frames of one canvas as rows of numbers, shape (n, d), blurred to at most COARSE × COARSE."""
    return np.stack([blurred(miniature, COARSE).ravel() for miniature in miniatures])


def sketch_of(small: Miniature) -> NDArray[np.float32]:
    """Return the picture that is kept of a frame after its animation was judged: at most SKETCH pixels a side, shape
    (h, w, 4)."""
    return blurred(small, SKETCH)


def is_between(sketch: NDArray[np.float32], before: NDArray[np.float32], after: NDArray[np.float32]) -> bool:
    """Return True if a frame may come between two others: it differs from neither by much more than they differ from
    each other."""
    if not sketch.shape == before.shape == after.shape:
        return False
    most = BETWEEN * max(STILL, float(np.abs(after - before).mean()))
    return all(float(np.abs(sketch - other).mean()) <= most for other in (before, after))


def blurred(small: Miniature, most: int) -> NDArray[np.float32]:
    """Shrink pixels to at most `most` across and along, shape (h, w, 4), 0 to 255, each the mean of a block. Blocks are
    symmetric, so that a mirror image blurs to a mirror image."""
    height, width = small.pixels.shape[:2]
    along = _blocks(height, most) @ small.pixels.reshape(height, -1).astype(np.float32)
    means: NDArray[np.float32] = _blocks(width, most) @ along.reshape(-1, width, 4)
    return means


@cache
def _blocks(length: int, most: int) -> NDArray[np.float32]:
    """Return the weight of each of `length` pixels in each of at most `most` blocks: shape (blocks, length)."""
    count = min(length, most)
    ends = np.linspace(0, length, count + 1)
    places = np.arange(length)
    inside = np.minimum(places + 1, ends[1:, None]) - np.maximum(places, ends[:-1, None])
    blocks: NDArray[np.float32] = (np.clip(inside, 0, 1) * count / length).astype(np.float32)
    return blocks
