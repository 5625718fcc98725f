"""Figures that touch on a sheet, parted where they touch.

A seam runs through an island from top to bottom, between two pixels of each row, at most one further left or right than
in the row above, so that the alpha that it parts is least: dynamic programming over rows, as for seam carving (Avidan
and Shamir, 2007). Where several seams run is found by dynamic programming, too: they part little, and the figures
between them have sizes that other figures of the sheet have, or else all the same.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

Alpha = NDArray[np.uint8]
"""The alpha of one island on its box, shape (h, w): what belongs to no other."""

Floats = NDArray[np.float64]

KNOWN_REACH, REACH, FARTHEST = 0.15, 0.12, 24
"""A seam leaves its column by no more than this share of a figure's width, if that is known, or of the island's height;
at most so many pixels."""

ASIDE = 0.02
"""The cost of a row in which a seam is a pixel off its column, in pixels that it parts."""

LEAST_SHARE, MOST_SHARE = 0.45, 1.6
"""A figure's width, in those of known figures."""

LEAST_EVEN, MOST_EVEN = 0.6, 1.5
"""A figure's width, in those of figures that are all the same."""

KNOWN_WEIGHT, EVEN_WEIGHT, SLACK = 3.0, 1.5, 0.02
"""The cost of a wrong width, in widths, beside that of a seam, in bodies. A little is free: figures move."""

SPREAD = 0.05
"""Known widths that differ by this share of one count as above; the more alike they are, the more a wrong one costs."""

THIN, THIN_EVEN = 0.6, 0.5
"""A seam this share as thick as the bodies beside it, or thicker, runs through a body."""

LEAST_AREA, LEAST_HEIGHT = 0.4, 0.5
"""Figures that are all the same have at least these shares of their usual area, and of the height of the highest."""

AS_GOOD = 0.12
"""Of numbers of figures that are about as good, up to this cost more, the largest is taken."""

MOST_STEPS = 1 << 25
"""Steps of seams that are kept. On larger islands seams are straighter."""

LEAST_WIDTH = 8
"""Pixels. What is narrower is no figure."""

MOST_DRIFT = 1.0
"""A cut between figures that are all the same lies at most so many of their widths from its even place."""

SLIMMEST = 3
"""Figures are at most so many times as high as wide."""


class CutSeam(NamedTuple):
    """A cut through an island: in each row, the first column on its right side; and the number of rows in which it
    splits visible pixels."""

    columns: NDArray[np.intp]
    crossed: int


def seams(alpha: Alpha, known: Sequence[int] = ()) -> list[CutSeam]:
    """Return the seams between figures that touch, from left to right; an empty list if no place is thin enough.

    `known` are the widths of figures of the same sheet; without any, all figures have about the same width.
    Cost: the pixels times the reach, in time and (up to MOST_STEPS bytes) in memory; the width times a figure's width,
    for each number of known figures; the square of the width for even ones.
    """
    width = alpha.shape[1]
    if width < 2 * LEAST_WIDTH:
        return []
    thickness = alpha.sum(axis=0, dtype=np.float64) / 255
    body = max(1.0, float(np.median(thickness[thickness > 0])))
    side = KNOWN_REACH * float(np.median(known)) if known else REACH * len(alpha)
    room = (MOST_STEPS // alpha.size - 1) // 2
    carved = _Carved(alpha, int(max(0, min(room, max(2, min(FARTHEST, side))))))
    cuts = _known_cuts(carved.cost, thickness, body, known) if known else _even_cuts(carved.cost, alpha, body)
    return [carved.seam(cut) for cut in cuts]


class _Carved:
    """The best seam around each column: what it parts, in rows of full alpha, and its way."""

    def __init__(self, alpha: Alpha, reach: int) -> None:
        self._alpha, self._reach = alpha, reach
        seams = alpha.shape[1] - 1
        offsets = np.arange(-reach, reach + 1)
        places = np.arange(seams)[:, None] + offsets
        outside = (places < 0) | (places >= seams)
        places = np.clip(places, 0, seams - 1)
        aside = np.where(outside, np.inf, ASIDE * np.abs(offsets)).astype(np.float32)
        total = _parted_in(alpha[0])[places] + aside
        self._steps = np.zeros((len(alpha), *total.shape), np.int8)
        for row in range(1, len(alpha)):
            before = np.pad(total, ((0, 0), (1, 1)), constant_values=np.inf)
            ways = np.stack([before[:, 1:-1], before[:, :-2] + 1e-4, before[:, 2:] + 1e-4])
            best = ways.argmin(axis=0)
            self._steps[row] = np.array([0, -1, 1], np.int8)[best]
            total = np.take_along_axis(ways, best[None], axis=0)[0] + _parted_in(alpha[row])[places] + aside
        self._ends = total.argmin(axis=1)
        self.cost: Floats = total.min(axis=1).astype(np.float64)

    def seam(self, cut: int) -> CutSeam:
        """Return the seam around a column, before which it cuts."""
        at = int(self._ends[cut - 1])
        columns = np.empty(len(self._steps), np.intp)
        for row in range(len(columns) - 1, -1, -1):
            columns[row] = cut + at - self._reach
            at += int(self._steps[row, cut - 1, at])
        rows = np.arange(len(columns))
        parted = np.minimum(self._alpha[rows, columns - 1], self._alpha[rows, columns])
        return CutSeam(columns, int(np.count_nonzero(parted)))


def _parted_in(alpha: Alpha) -> NDArray[np.floating]:
    """Return what a seam parts in one row, before each column but the first. Of equal columns, one that is thin on both
    sides costs least."""
    share = alpha.astype(np.float32) / 255
    left, right = share[:-1], share[1:]
    return np.minimum(left, right) + np.float32(1e-3) * (left + right)


def _known_cuts(cost: Floats, thickness: Floats, body: float, known: Sequence[int]) -> list[int]:
    """Return the best cuts into figures of known widths."""
    usual = float(np.median(known))
    widths = np.arange(len(thickness) + 1)
    off = np.abs(widths[:, None] - np.unique(known)).min(axis=1) / usual
    gaps = np.diff(np.sort(known), prepend=-np.inf, append=np.inf)  # of each known width, to those beside it
    spread = float(np.median(np.minimum(gaps[:-1], gaps[1:]))) / usual if len(known) > 1 else SPREAD
    wrong = KNOWN_WEIGHT * SPREAD / (SPREAD / 4 + spread) * np.maximum(0, off - SLACK)
    wrong[(widths < LEAST_SHARE * usual) | (widths > MOST_SHARE * usual)] = np.inf
    most = int(len(thickness) // max(1.0, LEAST_SHARE * usual))
    found = sorted(_best_cuts(cost / body, wrong, range(2, most + 1)))
    return next((cuts for _, cuts in found if max(_ratios(cost, thickness, cuts)) <= THIN), [])


def _even_cuts(cost: Floats, alpha: Alpha, body: float) -> list[int]:
    """Return the best cuts into figures that are all about the same, as many as are plausible."""
    height, width = alpha.shape
    thickness = alpha.sum(axis=0, dtype=np.float64) / 255
    widths = np.arange(width + 1)
    found: list[tuple[float, list[int]]] = []
    if cost.min() > THIN_EVEN * thickness.max():  # no seam is thin enough: solid ground, say
        return []
    for count in range(2, min(SLIMMEST * width // height + 1, width // LEAST_WIDTH) + 1):
        usual = width / count
        off = np.abs(widths - usual) / usual
        wrong = EVEN_WEIGHT * np.maximum(0, off - SLACK)
        wrong[(widths < LEAST_EVEN * usual) | (widths > MOST_EVEN * usual)] = np.inf
        for _, cuts in _best_cuts(cost / body, wrong, [count], MOST_DRIFT * usual):
            ratios = _ratios(cost, thickness, cuts)
            areas = [part.sum() for part in np.split(thickness, cuts)]
            heights = [np.ptp(np.flatnonzero(part.any(axis=1))) + 1 for part in np.split(alpha, cuts, axis=1)]
            are_alike = min(areas) >= LEAST_AREA * np.median(areas) and min(heights) >= LEAST_HEIGHT * max(heights)
            if max(ratios) <= THIN_EVEN and are_alike:
                uneven = np.abs(np.diff([0, *cuts, width]) - usual).mean() / usual
                found.append((float(np.mean(ratios) + EVEN_WEIGHT * uneven), cuts))
    least = min((score for score, _ in found), default=0.0)
    return max((cuts for score, cuts in found if score <= least + AS_GOOD), key=len, default=[])


def _best_cuts(
    cost: Floats, wrong: Floats, counts: Sequence[int], drift: float = np.inf
) -> Iterator[tuple[float, list[int]]]:
    """Yield the cost of the best cuts into each number of parts, and the cuts. `cost` is that of a seam before each
    column but the first, `wrong` that of each width. Cuts lie up to `drift` from where they would divide all evenly."""
    width, most = len(cost) + 1, max(counts, default=0)
    widths = np.flatnonzero(np.isfinite(wrong))
    widths = widths[widths > 0]
    if not len(widths):
        return
    least, largest = int(widths[0]), int(widths[-1])
    seam = np.concatenate([[0.0], cost, [0.0]])
    total = np.where(np.arange(width + 1) == 0, 0.0, np.inf)
    backs: list[NDArray[np.intp]] = []
    for count in range(1, most + 1):
        even = count * width / most
        low, high = max(count * least, int(even - min(drift, even))), int(min(count * largest, even + drift, width))
        # The window at an end holds the costs of all that lies before, up to the end less each width.
        padded = np.concatenate([np.full(largest, np.inf), total])
        ways = sliding_window_view(padded, largest - least + 1)[low : high + 1, ::-1] + wrong[least : largest + 1]
        total, back = np.full(width + 1, np.inf), np.zeros(width + 1, np.intp)
        if low <= high:
            best = ways.argmin(axis=1)
            total[low : high + 1] = ways[np.arange(len(best)), best] + seam[low : high + 1]
            back[low : high + 1] = np.arange(low, high + 1) - least - best
        backs.append(back)
        if count in counts and np.isfinite(total[width]):
            cuts, at = [], width
            for back in reversed(backs):
                at = int(back[at])
                cuts.append(at)
            yield float(total[width]), cuts[::-1][1:]


def _ratios(cost: Floats, thickness: Floats, cuts: Sequence[int]) -> list[float]:
    """Return how thick each seam is beside the thinner of the two bodies that it parts."""
    ends = [0, *cuts, len(thickness)]
    parts = [thickness[begin:end].max() for begin, end in pairwise(ends)]
    beside = [max(1e-6, min(pair)) for pair in pairwise(parts)]
    return [float(cost[cut - 1] / body) for cut, body in zip(cuts, beside, strict=True)]
