"""A background of one colour made transparent, with a clean edge."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .color import Color
from .pixels import Pixels
from .wishes import ColorKey

EDGE = 2
"""Pixels. How far from the key a pixel may be half covered: a smooth edge crosses at most two, corners included."""

WINDOW = 3
"""Pixels. How far from an edge pixel the figure's own colour is looked for."""

ALLOWED = 6.0
"""Levels of 255 by which an edge pixel may lie off the line from the key to the figure's colour and count as a mix;
twice as much again where the two are far apart, since a figure's colour is never quite flat."""


def keyed(pixels: Pixels, key: ColorKey) -> Pixels:
    """The picture with the key's colour made transparent: a new array, or the same one if nothing has that colour.

    `pixels` has shape (h, w, 4), uint8, straight alpha. Pixels within the tolerance become 0 in every channel. A pixel
    near them is taken for a mix of the figure's colour F and the key K where some neighbour offers such an F:
    C = a F + (1 - a) K (Porter and Duff, 1984, equation for `over`; Smith and Blinn, "Blue screen matting", 1996).
    Its alpha becomes a times what it was, its colour K + (C - K) / a: the key's share is taken out. Among the F that
    explain C, the one furthest from K is taken, the purest. Cost: a few passes, and some work for each edge pixel.
    """
    color = key.color or Color(*pixels[0, 0, :3].tolist())
    if key.color is None and pixels[0, 0, 3] == 0:
        return pixels
    ground = np.array(color, np.int16)
    seen = pixels[..., 3] > 0
    is_key = seen & (np.abs(pixels[..., :3].astype(np.int16) - ground).max(axis=2) <= key.tolerance)
    if not is_key.any():
        return pixels
    result = pixels.copy()
    result[is_key] = 0
    rows, columns = np.nonzero(_near(is_key) & seen & ~is_key)
    if len(rows):
        _unmix(pixels, result, rows, columns, seen & ~is_key, ground)
    return result


def _near(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Everything at most EDGE pixels from a true element, corners included."""
    for _ in range(EDGE):
        rows = mask.copy()
        rows[1:] |= mask[:-1]
        rows[:-1] |= mask[1:]
        mask = rows.copy()
        mask[:, 1:] |= rows[:, :-1]
        mask[:, :-1] |= rows[:, 1:]
    return mask


def _unmix(
    pixels: Pixels,
    result: Pixels,
    rows: NDArray[np.intp],
    columns: NDArray[np.intp],
    figure: NDArray[np.bool_],
    ground: NDArray[np.int16],
) -> None:
    height, width = figure.shape
    mixed = pixels[rows, columns, :3].astype(np.float32) - ground
    own = (mixed**2).sum(axis=1)
    best = own.copy()  # the squared distance of the purest colour found; a pixel may explain itself
    share = np.ones(len(rows), np.float32)
    for dy in range(-WINDOW, WINDOW + 1):
        for dx in range(-WINDOW, WINDOW + 1):
            y, x = rows + dy, columns + dx
            there = (y >= 0) & (y < height) & (x >= 0) & (x < width)
            there[there] = figure[y[there], x[there]]
            if not there.any():
                continue
            pure = pixels[y[there], x[there], :3].astype(np.float32) - ground
            squared = (pure**2).sum(axis=1)
            a = (mixed[there] * pure).sum(axis=1) / squared
            off = np.sqrt(((mixed[there] - a[:, None] * pure) ** 2).sum(axis=1))
            better = (off <= ALLOWED + 0.03 * np.sqrt(squared)) & (a > 0) & (a < 1) & (squared > best[there])
            where = np.flatnonzero(there)[better]
            best[where], share[where] = squared[better], a[better]
    colour = np.clip(ground + mixed / share[:, None] + 0.5, 0, 255)
    alpha = pixels[rows, columns, 3] * share + 0.5
    changed = share < 1
    result[rows[changed], columns[changed], :3] = colour[changed]
    result[rows[changed], columns[changed], 3] = alpha[changed]
    gone = changed & (alpha < 1)
    result[rows[gone], columns[gone]] = 0
