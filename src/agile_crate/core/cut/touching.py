"""Figures that touch on a sheet, parted at their thinnest place.

A seam runs through a figure from top to bottom, between two pixels of each row, at most one further left or right than
in the row above, so that the alpha that it parts is least: dynamic programming over rows, as for seam carving (Avidan
and Shamir, 2007). Cost: linear in the pixels of the window in which it may run.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Alpha = NDArray[np.uint8]
"""The alpha of one island on its box, shape (h, w): what belongs to no other."""

REACH = 0.4
"""The farthest that a seam may be from its expected column, in widths of a body."""

THIN = 0.6
"""A seam this share as thick as the bodies beside it, or thicker, runs through a body."""

NECK, LEAST_BODY, LEAST_HEIGHT = 0.35, 0.25, 0.5
"""Without a known body width, a neck is at most this share as thick as the bodies beside it, and each of
these holds at least this share of the island, and is so high beside it."""


class CutSeam(NamedTuple):
    """A cut through an island: in each row, the first column on its right side; the number of rows in which it splits
    visible pixels, and their thickness in rows of full alpha."""

    columns: NDArray[np.intp]
    crossed: int
    thickness: float


def seams(alpha: Alpha, usual: float | None) -> list[CutSeam]:
    """Return where bodies touch, from left to right; none where nothing is thin enough. `usual` is how wide a body
    should be, None if unknown: then at most one seam is found, at a neck."""
    places = _awaited(alpha, usual) if usual else _neck(alpha)
    thickness = alpha.sum(axis=0, dtype=np.float64) / 255
    found: list[CutSeam] = []
    for window in places:
        seam = _least(alpha, window)
        begin = int(found[-1].columns.max()) if found else 0
        beside = min(thickness[begin : window.start + 1].max(), thickness[window.stop - 1 :].max())
        if seam.thickness <= (THIN if usual else NECK) * beside and (usual or _have_height(alpha, seam)):
            found.append(seam)
    return found


def _have_height(alpha: Alpha, seam: CutSeam) -> bool:
    left = np.arange(alpha.shape[1]) < seam.columns[:, None]
    heights = [np.ptp(np.flatnonzero(((alpha > 0) & side).any(axis=1))) + 1 for side in (left, ~left)]
    return bool(min(heights) >= LEAST_HEIGHT * len(alpha))


def _awaited(alpha: Alpha, usual: float) -> Iterator[range]:
    """Return the columns among which each seam may run, if all bodies have the same width."""
    width = alpha.shape[1]
    bodies = max(2, round(width / usual))
    for number in range(1, bodies):
        middle, reach = number * width / bodies, REACH * width / bodies
        yield range(max(1, int(middle - reach)), min(width - 1, int(middle + reach)) + 1)


def _neck(alpha: Alpha) -> Iterator[range]:
    """Return the columns around the thinnest place that leaves enough on both sides."""
    thickness = alpha.sum(axis=0, dtype=np.float64)
    share = np.cumsum(thickness) / thickness.sum()
    inside = np.flatnonzero((share >= LEAST_BODY) & (share <= 1 - LEAST_BODY))
    if len(inside) < 3:
        return
    thinnest = int(inside[np.argmin(thickness[inside])])
    reach = max(1, len(inside) // 8)
    yield range(max(1, thinnest - reach), min(alpha.shape[1] - 1, thinnest + reach) + 1)


def _least(alpha: Alpha, window: range) -> CutSeam:
    """Find the seam of least alpha among some columns; of equal seams, the straightest near the middle."""
    from_middle = np.abs(np.arange(len(window)) - (len(window) - 1) / 2)
    left = alpha[:, window.start - 1 : window.stop - 1] / 255
    right = alpha[:, window.start : window.stop] / 255
    parted = np.minimum(left, right)
    cost = parted + 1e-3 * (left + right) + 1e-6 * from_middle  # of equal ones, where both sides are thin
    total = np.empty_like(cost)
    steps = np.zeros(cost.shape, np.int8)
    total[0] = cost[0]
    for row in range(1, len(cost)):
        before = np.pad(total[row - 1], 1, constant_values=np.inf)
        ways = np.stack([before[1:-1], before[:-2] + 1e-4, before[2:] + 1e-4])
        best = np.argmin(ways, axis=0)
        steps[row] = np.array([0, -1, 1], np.int8)[best]
        total[row] = cost[row] + np.take_along_axis(ways, best[None], axis=0)[0]
    columns = np.empty(len(cost), np.intp)
    at = int(np.argmin(total[-1]))
    for row in range(len(cost) - 1, -1, -1):
        columns[row] = at + window.start
        at += int(steps[row, at])
    along = parted[np.arange(len(alpha)), columns - window.start]
    return CutSeam(columns, int(np.count_nonzero(along)), float(along.sum()))
