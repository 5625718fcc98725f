"""Robust statistics: typical values that a few outliers do not change."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

SIGMA = 1.4826
"""By which the median absolute deviation of normally distributed values is multiplied to give their standard
deviation."""


class Usual(NamedTuple):
    """The middle of values, and their usual distance from it."""

    middle: float
    spread: float

    def score(self, value: float, least: float) -> float:
        """Return how many spreads a value lies off the middle; a spread counts as at least so large."""
        return abs(value - self.middle) / max(self.spread, least)


def usual(values: ArrayLike) -> Usual:
    """The median and the median absolute deviation, as a standard deviation (Hampel, "The influence curve and its role
    in robust estimation", 1974): up to half of the values may be anything. Cost: n log n in the values."""
    these = np.asarray(values, float)
    if len(these) == 0:
        return Usual(0.0, 0.0)
    middle = median(these)
    return Usual(middle, SIGMA * median(np.abs(these - middle)))


def median(values: ArrayLike) -> float:
    """Return the median of values; for few values ten times as fast as NumPy."""
    ordered = np.sort(values, axis=None)
    half = len(ordered) // 2
    return float(ordered[half]) if len(ordered) % 2 else float(ordered[half - 1] + ordered[half]) / 2
