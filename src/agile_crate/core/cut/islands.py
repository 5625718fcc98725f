"""Islands of visible pixels: their boxes, and their masses."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..model.geometry import Box

Labels = NDArray[np.int32]
"""The number of each pixel's island, 0 where no pixel is visible; shape (h, w)."""

BAND = 1 << 20
"""Pixels that are weighed at once: each takes 16 bytes meanwhile."""


def boxes_of(labels: Labels) -> dict[int, Box]:
    """Return the box of each island."""
    from scipy import ndimage

    slices = ((label, found) for label, found in enumerate(ndimage.find_objects(labels), 1) if found)
    return {label: Box(x.start, y.start, x.stop - x.start, y.stop - y.start) for label, (y, x) in slices}


def masses(labels: Labels, alpha: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return the alpha of each island in wholly covered pixels; the first entry is that of no island."""
    mass = np.zeros(int(labels.max(initial=0)) + 1)
    rows = max(1, BAND // labels.shape[1])
    for top in range(0, len(labels), rows):
        band = np.s_[top : top + rows]
        mass += np.bincount(labels[band].ravel(), alpha[band].ravel(), len(mass))
    return mass / 255
