"""Hard-edged art of few colors, which smoothing spoils."""

from __future__ import annotations

import numpy as np

from ..pixels import Pixels, words

FEW_COLORS = 64
"""Pixel art has no more."""

SAMPLED_PIXELS = 1 << 14
"""Of larger pictures, some rows are looked at before all are."""


def hard_edged_colors(pixels: Pixels) -> int:
    """Return how many colors are visible in a picture, shape (h, w, 4), without soft edges; 0 if it has soft edges,
    more than FEW_COLORS, or nothing visible. Cost: few rows of most pictures that are no pixel art, otherwise one
    sort."""
    step = -(-pixels.shape[0] * pixels.shape[1] // SAMPLED_PIXELS)
    if step > 1 and not 0 < _colors(pixels[::step]) <= FEW_COLORS:
        return 0
    found = _colors(pixels)
    return found if found <= FEW_COLORS else 0


def _colors(pixels: Pixels) -> int:
    alpha = pixels[..., 3]
    if ((alpha > 0) & (alpha < 255)).any():
        return FEW_COLORS + 1
    return len(np.unique(words(pixels)[alpha > 0]))


def color_count(pixels: Pixels) -> int:
    """Return how many colors are visible, with their alpha."""
    return len(np.unique(words(pixels)[pixels[..., 3] > 0]))


def pixel_size(pixels: Pixels) -> int:
    """Return the side of the squares that a picture, shape (h, w, 4), consists of: art that was enlarged N times by
    repeating pixels consists of N × N. Cost: two comparisons of all neighbors."""
    seen = words(pixels)
    height, width = seen.shape
    across = np.flatnonzero((seen[:, 1:] != seen[:, :-1]).any(0)) + 1
    down = np.flatnonzero((seen[1:] != seen[:-1]).any(1)) + 1
    return int(np.gcd.reduce(np.concatenate([across, down, [width, height]])))
