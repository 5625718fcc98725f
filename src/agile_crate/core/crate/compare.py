"""Comparison of two pictures."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..pixels import Pixels


@dataclass(frozen=True, slots=True)
class PixelDifference:
    """The difference of two pictures of one size: a count of pixels, and the first in reading order with both
    colors."""

    pixels: int
    x: int
    y: int
    expected: tuple[int, ...]
    found: tuple[int, ...]


def differing(expected: Pixels, found: Pixels) -> NDArray[np.bool_]:
    """Return where two pictures of one shape differ: a mask of shape (h, w).

    The color of a wholly transparent pixel cannot be seen and does not count.
    """
    differs: NDArray[np.bool_] = (expected != found).any(axis=2)
    differs &= (expected[..., 3] != 0) | (found[..., 3] != 0)
    return differs


def difference(expected: Pixels, found: Pixels) -> PixelDifference | None:
    """The difference between two pictures of the same shape, or None if every pixel is the same.

    Cost: one pass when they are the same; color is looked at only where the bytes differ.
    """
    if np.array_equal(expected, found):
        return None
    differs = differing(expected, found)
    count = int(np.count_nonzero(differs))
    if count == 0:
        return None
    y, x = (int(value) for value in np.unravel_index(int(differs.argmax()), differs.shape))
    return PixelDifference(count, x, y, tuple(expected[y, x].tolist()), tuple(found[y, x].tolist()))
