"""Steps that change alpha, or colors under it."""

from __future__ import annotations

import numpy as np

from ..color import Color
from ..pixels import Pixels

UNDER_REACH = 16
"""Pixels. How far colors are carried under transparent pixels: what a filter reads down to a sixteenth of the size."""

SOLID = 8
"""Alpha, of 255. A color at or below it is too coarsely rounded to be carried anywhere."""


def hard_alpha(pixels: Pixels, threshold: int) -> Pixels:
    """Make every pixel opaque (alpha at or above `threshold`, 1 to 255) or empty, all bytes 0: a new array."""
    result = pixels.copy()
    shows = pixels[..., 3] >= threshold
    result[~shows] = 0
    result[shows, 3] = 255
    return result


def cleared(pixels: Pixels, faintest: int) -> Pixels:
    """Empty every pixel of alpha up to `faintest` (1 to 254), all bytes 0: a new array."""
    result = pixels.copy()
    result[pixels[..., 3] <= faintest] = 0
    return result


def premultiplied(pixels: Pixels) -> Pixels:
    """Multiply colors by their alpha, rounded to the nearest (Porter and Duff, 1984): a new array."""
    result = pixels.copy()
    alpha = pixels[..., 3:].astype(np.uint16)
    result[..., :3] = (pixels[..., :3] * alpha + 127) // 255
    return result


def straight(pixels: Pixels) -> Pixels:
    """Premultiplied colors divided by their alpha, rounded to the nearest: a new array.

    What the multiplication rounded away does not come back: at alpha 25 a channel keeps about 26 levels.
    """
    result = pixels.copy()
    alpha = np.maximum(pixels[..., 3:], 1).astype(np.uint16)
    colors = pixels[..., :3].astype(np.uint16)  # before NumPy 2 a scalar does not widen bytes
    result[..., :3] = np.minimum((colors * 255 + alpha // 2) // alpha, 255)
    return result


def flattened(pixels: Pixels, color: Color) -> Pixels:
    """Lay pixels over a color, rounded to the nearest, alpha 255 everywhere: a new array."""
    result = np.empty_like(pixels)
    alpha = pixels[..., 3:].astype(np.uint16)
    result[..., :3] = (pixels[..., :3] * alpha + np.array(color, np.uint16) * (255 - alpha) + 127) // 255
    result[..., 3] = 255
    return result


def filled_under(pixels: Pixels) -> Pixels:
    """Give wholly transparent pixels the color of the nearest visible one, up to UNDER_REACH away: a new array.

    Alpha does not change, so nothing looks different. But a game's texture filter mixes neighbors, and then mixes in
    the figure's own color instead of black. Pixels of alpha up to SOLID lend no color, unless all are that faint.
    Nearest is by the exact Euclidean distance transform (Maurer, Qi and Raghavan, 2003, in SciPy). Cost: linear in the
    pixels.
    """
    from scipy import ndimage

    empty = pixels[..., 3] == 0
    if empty.all() or not empty.any():
        return pixels
    solid = pixels[..., 3] > SOLID
    lacking = ~solid if solid.any() else empty
    distance, nearest = ndimage.distance_transform_edt(lacking, return_indices=True)
    result = pixels.copy()
    result[empty] = 0
    reached = empty & (distance <= UNDER_REACH)
    result[reached, :3] = pixels[nearest[0][reached], nearest[1][reached], :3]
    return result
