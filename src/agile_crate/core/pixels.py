"""The type of all pictures, apart from `model` so that the vocabulary can be had without loading NumPy."""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Pixels: TypeAlias = NDArray[np.uint8]
"""An array of shape (height, width, 4): red, green, blue, straight alpha, 0 to 255."""

Words: TypeAlias = NDArray[np.uint32]
"""Colors as numbers: red in the lowest byte, then green, then blue, and alpha, or nothing, in the highest."""


def placeholder(width: int, height: int) -> Pixels:
    """Return empty, read-only pixels that take no memory, in place of others that are read later."""
    return np.broadcast_to(np.zeros(4, np.uint8), (height, width, 4))


def words(pixels: Pixels) -> Words:
    """View each pixel's four bytes as one number: shape (h, w), a view where memory allows."""
    found: Words = np.ascontiguousarray(pixels).view("<u4")[..., 0]
    return found
