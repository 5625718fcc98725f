"""Fringes: half-covered pixels that still hold some of the color that the figure was drawn on."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..pixels import Pixels

FEW = 16
"""Half-covered pixels beside covered ones. Fewer prove nothing."""

LINES, MANY = 64, 96
"""Rows, and half-covered pixels in them, that are looked at, evenly spread over all of them."""

BESIDE = 1
"""Pixels from a half-covered one to the covered ones that tell the figure's own color."""

FAINTEST, FULLEST = 24, 231
"""Alpha, of 255, of the pixels that are looked at: their color is known well, and they are clearly half covered."""

COVERED = 250
"""Alpha, of 255, of a pixel that shows the figure's own color."""

LEAST_PULL, MOST_LEFT = 0.85, 0.06
"""A fringe pulls colors at least so far of the way towards its own, and explains all but so much of how they are
off."""

LEAST_OFF = 24.0
"""Levels of 255 by which half-covered colors are off the figure's own on average."""


def fringe_of(pixels: Pixels, alpha: NDArray[np.uint8]) -> str:
    """The color of a frame's fringe, black or white; empty where it has none. `pixels` have shape (h, w, 4), straight
    alpha.

    A half-covered pixel of coverage a shows a F + (1 - a) K where the figure's color is F and what it was drawn on, K,
    was not taken out (Porter and Duff, 1984; Smith and Blinn, "Blue screen matting", 1996). F is that of the nearest
    covered pixel. How far colors are pulled towards white and black, as (1 - a) says, is fitted by least squares; a
    dark line or a shadow is off as much where it is nearly covered as where it is faint, and does not fit.
    """
    every = max(1, alpha.shape[0] // LINES)
    lines = alpha[every // 2 :: every]
    rows, columns = np.nonzero((lines >= FAINTEST) & (lines <= FULLEST))
    if len(rows) < FEW:
        return ""
    step = -(-len(rows) // MANY)
    rows, columns = rows[::step] * every + every // 2, columns[::step]
    figure, known = _covered_beside(pixels, alpha, rows, columns)
    if np.count_nonzero(known) < FEW:
        return ""
    rows, columns, figure = rows[known], columns[known], figure[known]
    off = pixels[rows, columns, :3].astype(np.float32) - figure
    if float(np.abs(off).mean()) < LEAST_OFF / 3 or float(np.abs(off).max(axis=1).mean()) < LEAST_OFF:
        return ""
    missing = 1 - alpha[rows, columns, None].astype(np.float32) / 255
    for towards, color in (("black", 0.0), ("white", 255.0)):
        pulled = missing * (color - figure)
        power = float(np.square(pulled).sum())
        if power == 0:
            continue
        pull = float((off * pulled).sum()) / power
        left = float(np.square(off - pull * pulled).sum()) / max(float(np.square(off).sum()), 1e-9)
        if pull >= LEAST_PULL and left <= MOST_LEFT:
            return towards
    return ""


def _covered_beside(
    pixels: Pixels, alpha: NDArray[np.uint8], rows: NDArray[np.intp], columns: NDArray[np.intp]
) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """The mean color of the covered pixels around each place, and a mask of the places that have any."""
    height, width = alpha.shape
    across, along = np.meshgrid(np.arange(-BESIDE, BESIDE + 1), np.arange(-BESIDE, BESIDE + 1))
    y = np.clip(rows[:, None] + along.ravel(), 0, height - 1)
    x = np.clip(columns[:, None] + across.ravel(), 0, width - 1)
    covered = alpha[y, x] >= COVERED
    count = covered.sum(axis=1)
    total = np.einsum("ij,ijc->ic", covered.astype(np.float32), pixels[y, x, :3].astype(np.float32))
    mean: NDArray[np.float32] = total / np.maximum(count, 1).astype(np.float32)[:, None]
    return mean, count > 0
