"""Scaling frames so that nothing moves: one factor, one rounding of the canvas, one grid for all that share a canvas.

Output pixel i of a line covers the source from `start + i / factor` to `start + (i + 1) / factor`; the first and the
last reach to the canvas's edge, so that nothing of it is lost. `start` is a whole number, chosen so that the point
named by `--align` falls where it falls on the scaled canvas: drawings of other heights stay on one ground.

Every line of weights depends on the canvas alone, never on the art: pixels that stand still from frame to frame
get the same bytes.
"""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..align import PLACES
from ..model.geometry import Box, Offset, Size
from ..pixels import Pixels
from ..rounding import half_up
from .options import Scaling

Floats = NDArray[np.float32]


def is_whole(factor: Fraction) -> bool:
    """Return True if pixels are multiplied, or divided, by a whole number."""
    return 1 in (factor.numerator, factor.denominator)


class _Lines(NamedTuple):
    """The scaling of one axis. Output i is the sum of source[taken[i]] * weight[i], divided by width[i].

    `whole` is True where that is the plain sum of `count` neighbors, which begin `count` after those of i - 1.
    """

    taken: NDArray[np.intp]
    weight: Floats
    width: Floats
    whole: NDArray[np.bool_]


def scaled_canvas(canvas: Size, factor: Fraction) -> Size:
    """The canvas after scaling: each side rounded by the one rule, halves up. A side of 0 means that it vanishes."""
    return Size(half_up(canvas.w * factor), half_up(canvas.h * factor))


def scaled(pixels: Pixels, offset: Offset, canvas: Size, scaling: Scaling) -> tuple[Pixels, Offset]:
    """A part of a canvas scaled: its new pixels, a new array, and where they begin on the scaled canvas.

    `pixels` has shape (h, w, 4), uint8, straight alpha, and lies at `offset`; the rest of the canvas counts as empty.
    Smooth scaling multiplies colors by alpha, filters all four in 32-bit floats, and divides again (Porter and Duff,
    1984; Smith, "Alpha and the history of digital compositing", 1995): a shape of one color keeps that color. Down,
    each output pixel is the mean over the area that it covers; up, the same mean over linear interpolation.
    Where the scaled canvas is exact, the sum of alpha is kept, but for rounding; where it had to be rounded, the first
    and the last pixel of a line stand for more or less of the source than the others. Cost: a few passes.
    """
    target = scaled_canvas(canvas, scaling.factor)
    share = PLACES[scaling.place]
    axes = [(canvas[axis], target[axis], scaling.factor, share[axis]) for axis in (0, 1)]
    part = Box(*offset, pixels.shape[1], pixels.shape[0])
    if not scaling.smooth:
        columns_taken, x = _nearest(*axes[0], part.x, part.right)
        rows_taken, y = _nearest(*axes[1], part.y, part.bottom)
        return pixels[rows_taken[:, None], columns_taken], Offset(x, y)
    across, down = _smooth(*axes[0]), _smooth(*axes[1])
    columns, rows = _touched(across, part.x, part.right), _touched(down, part.y, part.bottom)
    source, planes = _premultiplied(pixels, part, _reach(across, columns), _reach(down, rows))
    planes = _filtered(planes, down, rows, source.y, rows_first=True)
    planes = _filtered(planes, across, columns, source.x, rows_first=False)
    return _straight(planes), Offset(columns.start, rows.start)


def scaled_box(part: Box, canvas: Size, scaling: Scaling) -> Box:
    """Return the part of the scaled canvas that a part of the canvas maps to, as `scaled` does."""
    target = scaled_canvas(canvas, scaling.factor)
    spans: list[tuple[int, int]] = []
    for axis, (begin, end) in enumerate(((part.x, part.right), (part.y, part.bottom))):
        line = (canvas[axis], max(1, target[axis]), scaling.factor, PLACES[scaling.place][axis])
        if scaling.smooth:
            touched = _touched(_smooth(*line), begin, end)
            spans.append((touched.start, touched.stop))
        else:
            taken, first = _nearest(*line, begin, end)
            spans.append((first, first + len(taken)))
    (left, right), (top, bottom) = spans
    return Box(left, top, right - left, bottom - top)


def _start(side: int, new: int, factor: Fraction, share: Fraction) -> int:
    return half_up(share * side - share * new / factor)


@lru_cache(maxsize=64)
def _nearest_lines(side: int, new: int, factor: Fraction, share: Fraction) -> NDArray[np.intp]:
    middles = (2 * np.arange(new) + 1) * factor.denominator // (2 * factor.numerator)
    return np.clip(middles + _start(side, new, factor, share), 0, side - 1)


def _nearest(
    side: int, new: int, factor: Fraction, share: Fraction, begin: int, end: int
) -> tuple[NDArray[np.intp], int]:
    """Return the source lines to take from a part from `begin` to `end`, counted from its beginning, and the first
    output."""
    lines = _nearest_lines(side, new, factor, share)
    first, last = np.searchsorted(lines, [begin, end])
    if first == last:  # nothing of the part is taken; one empty line stands for it
        return np.zeros(0, np.intp), min(int(first), new - 1)
    return lines[first:last] - begin, int(first)


@lru_cache(maxsize=64)
def _smooth(side: int, new: int, factor: Fraction, share: Fraction) -> _Lines:
    edges = _start(side, new, factor, share) + np.arange(new + 1) * factor.denominator / factor.numerator
    edges[0], edges[-1] = 0, side
    radius = 0.5 if factor < 1 else 1.0
    lead, trail = edges[:-1], edges[1:]
    first = np.floor(lead + 0.5 - radius).astype(np.intp)
    count = int(np.max(np.ceil(trail - 0.5 + radius) - first)) + 1
    index = first[:, None] + np.arange(count)
    weight = _below(trail[:, None] - index - 0.5, radius) - _below(lead[:, None] - index - 0.5, radius)
    weight[(index < 0) | (index >= side)] = 0
    used = np.flatnonzero(weight.any(axis=0))
    index, weight = index[:, used[0] : used[-1] + 1], weight[:, used[0] : used[-1] + 1]
    width = weight.sum(axis=1)
    step = factor.denominator
    whole = np.full(new, factor.numerator == 1) & (index.shape[1] >= step)
    whole &= (weight[:, :step] == 1).all(axis=1) & (width == step)
    return _Lines(np.clip(index, 0, side - 1), weight.astype(np.float32), width.astype(np.float32), whole)


def _below(distance: NDArray[np.float64], radius: float) -> NDArray[np.float64]:
    """Return how much of a source pixel lies below a point at this distance from its middle: a unit square, or a
    tent."""
    if radius == 0.5:
        return np.clip(distance + 0.5, 0, 1)
    near = np.clip(distance, -1, 1)
    return 0.5 + near - near * np.abs(near) / 2


def _touched(lines: _Lines, begin: int, end: int) -> slice:
    """Return the range of outputs that depend on the source lines `begin` to `end`."""
    takes = ((lines.taken >= begin) & (lines.taken < end) & (lines.weight > 0)).any(axis=1)
    found = np.flatnonzero(takes)
    return slice(int(found[0]), int(found[-1]) + 1)


def _reach(lines: _Lines, outputs: slice) -> tuple[int, int]:
    index = lines.taken[outputs]
    return int(index.min()), int(index.max()) + 1


def _premultiplied(
    pixels: Pixels, part: Box, across: tuple[int, int], down: tuple[int, int]
) -> tuple[Box, NDArray[np.float32]]:
    """Four planes, colors times alpha, over all of the source that is needed; what lies off the part is empty."""
    left, right = min(across[0], part.x), max(across[1], part.right)
    top, bottom = min(down[0], part.y), max(down[1], part.bottom)
    needed = Box(left, top, right - left, bottom - top)
    planes = np.empty if needed == part else np.zeros
    result = planes((4, needed.h, needed.w), np.float32)
    inside = result[:, part.y - top : part.bottom - top, part.x - left : part.right - left]
    inside[3] = pixels[..., 3]
    for channel in range(3):
        np.multiply(pixels[..., channel], inside[3], out=inside[channel])
    return needed, result


def _filtered(planes: Floats, lines: _Lines, outputs: slice, origin: int, rows_first: bool) -> Floats:
    """Scale one axis of the planes: rows (axis 1) or columns (axis 2). Plain sums go by slices, all else by index."""
    index, weight = lines.taken[outputs] - origin, lines.weight[outputs]
    step = int(lines.width[outputs.start])
    if lines.whole[outputs].all():
        begin, end = int(index[0, 0]), int(index[-1, 0]) + step
        result = (planes[:, begin:end:step] if rows_first else planes[..., begin:end:step]).copy()
        for k in range(begin + 1, begin + step):
            result += planes[:, k:end:step] if rows_first else planes[..., k:end:step]
    else:
        axis, along = (1, np.s_[:, None]) if rows_first else (2, np.s_[:])
        result = np.take(planes, index[:, 0], axis) * weight[:, 0][along]
        for k in range(1, index.shape[1]):
            result += np.take(planes, index[:, k], axis) * weight[:, k][along]
    result *= (1 / lines.width[outputs])[np.s_[:, None] if rows_first else np.s_[:]]
    return result


def _straight(planes: Floats) -> Pixels:
    """Premultiplied planes as pixels: rounded to the nearest, halves up; colors where alpha rounds to 0 are 0."""
    alpha = planes[3]
    result = np.empty((*alpha.shape, 4), np.uint8)
    np.add(alpha, 0.5, out=result[..., 3], casting="unsafe")
    share = np.zeros_like(alpha)
    np.divide(1, alpha, out=share, where=result[..., 3] > 0)
    for channel in range(3):
        plane = planes[channel]
        plane *= share
        plane += 0.5
        result[..., channel] = plane
    return result
