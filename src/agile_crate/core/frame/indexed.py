"""Turn pixels into indices of a list of colors, if the colors are few enough."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from ..pixels import Pixels, Words, words

MOST_COLORS = 256
"""The number of colors that an index of one byte can name."""


def few_colors(pictures: Iterable[Pixels]) -> Words | None:
    """The different colors of all pictures, their alpha counted in, and the empty one; the most transparent first.

    None for more than MOST_COLORS. Cost: one pass over the pixels, and a sort of those that differ from their
    left neighbor.
    """
    known = np.zeros(1, np.uint32)
    for pixels in pictures:
        row = words(pixels).ravel()
        if row.size:
            starts = row[np.concatenate(([True], row[1:] != row[:-1]))]
            known = np.union1d(known, starts)
            if known.size > MOST_COLORS:
                return None
    return known


def indices(pixels: Pixels, colors: Words) -> NDArray[np.uint8]:
    """The index of each pixel's color in the sorted `colors`, which must hold all of them: shape (h, w), new."""
    return np.searchsorted(colors, words(pixels)).astype(np.uint8)


def entries(colors: Words) -> Pixels:
    """The colors as an array of shape (n, 4)."""
    return colors.astype("<u4").view(np.uint8).reshape(-1, 4)
