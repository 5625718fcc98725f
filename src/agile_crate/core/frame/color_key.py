"""Make a background of one color transparent, with clean edges."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..color import Color
from ..pixels import Pixels
from .options import ColorKey

EDGE = 2
"""Pixels. How far from the key a pixel may be half covered: a smooth edge crosses at most two, corners included."""

WINDOW = 3
"""Pixels. How far from an edge pixel the figure's own color is looked for."""

ALLOWED = 6.0
"""Levels of 255 by which an edge pixel may lie off the line from the key to the figure's color and count as a mix;
with a share of their distance as well, since a figure's color is never quite flat."""

SMOOTH = 0.2
"""An edge is taken for smooth where this share of the pixels that touch the key are mixes; else it is hard."""

ALIKE = 12.0
"""Levels of 255. A pixel that has such a neighbor further in is no mix, but the figure's own color."""

COMMON = 16
"""So many of the colors found along the edge are tried on pixels that no neighbor explains: a line one pixel wide is
mixed on both sides, and its own color stands elsewhere."""


def keyed(pixels: Pixels, key: ColorKey) -> Pixels:
    """The picture with the key's color made transparent: a new array, or the same one if nothing has that color.

    `pixels` has shape (h, w, 4), uint8, straight alpha. Pixels within the tolerance become 0 in every channel. A pixel
    near them is taken for a mix of the figure's color F and the key K where some neighbor offers such an F:
    C = a F + (1 - a) K (Porter and Duff, 1984, equation for `over`; Smith and Blinn, "Blue screen matting", 1996).
    Its alpha becomes a times what it was, its color K + (C - K) / a: the key's share is taken out. Among the F that
    explain C, the one furthest from K is taken, the purest; where none does and none further in is like C, of the
    colors found most often along the edge. Hard edges are found out and left alone.
    Cost: a few passes, and some work for each edge pixel.
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
    figure = seen & ~is_key
    edge = _grown(is_key)
    touching = edge.copy()
    if not (touching & figure).any():
        return result
    for _ in range(1, EDGE):
        edge = _grown(edge)
    rows, columns = np.nonzero(edge & figure)
    if len(rows):
        _unmix(pixels, result, rows, columns, figure, touching[rows, columns], ground)
    return result


def _grown(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return a mask of the true pixels and their eight neighbors."""
    rows = mask.copy()
    rows[1:] |= mask[:-1]
    rows[:-1] |= mask[1:]
    result = rows.copy()
    result[:, 1:] |= rows[:, :-1]
    result[:, :-1] |= rows[:, 1:]
    return result


def _unmix(
    pixels: Pixels,
    result: Pixels,
    rows: NDArray[np.intp],
    columns: NDArray[np.intp],
    figure: NDArray[np.bool_],
    touching: NDArray[np.bool_],
    ground: NDArray[np.int16],
) -> None:
    height, width = figure.shape
    mixed = pixels[rows, columns, :3].astype(np.float32) - ground
    purest, share = (mixed**2).sum(axis=1), np.ones(len(rows), np.float32)  # a pixel may explain itself
    alike = np.zeros(len(rows), bool)
    inner = figure.copy()
    inner[rows, columns] = False

    def explain(where: NDArray[np.intp], pure: NDArray[np.float32]) -> None:
        squared = (pure**2).sum(axis=1)
        a = (mixed[where] * pure).sum(axis=1) / squared
        off = np.sqrt(((mixed[where] - a[:, None] * pure) ** 2).sum(axis=1))
        good = (a > 0) & (a < 1) & (off <= ALLOWED + 0.03 * np.sqrt(squared)) & (squared > purest[where])
        purest[where[good]], share[where[good]] = squared[good], a[good]

    for dy in range(-WINDOW, WINDOW + 1):
        for dx in range(-WINDOW, WINDOW + 1):
            y, x = rows + dy, columns + dx
            inside = (y >= 0) & (y < height) & (x >= 0) & (x < width)
            inside[inside] = figure[y[inside], x[inside]]
            where = np.flatnonzero(inside)
            pure = pixels[y[where], x[where], :3].astype(np.float32) - ground
            explain(where, pure)
            twin = inner[y[where], x[where]] & (np.abs(mixed[where] - pure).max(axis=1) <= ALIKE)
            alike[where[twin]] = True
    if (share[touching] < 1).mean() < SMOOTH:
        return
    found = mixed[share < 1] / share[share < 1, None]
    left = np.flatnonzero((share == 1) & ~alike)
    for common in _common(found):
        explain(left, np.broadcast_to(common, (len(left), 3)))
    color = np.clip(ground + mixed / share[:, None] + 0.5, 0, 255)
    alpha = pixels[rows, columns, 3] * share + 0.5
    changed = share < 1
    result[rows[changed], columns[changed], :3] = color[changed]
    result[rows[changed], columns[changed], 3] = alpha[changed]
    gone = changed & (alpha < 1)
    result[rows[gone], columns[gone]] = 0


def _common(colors: NDArray[np.float32]) -> NDArray[np.float32]:
    """The means of the COMMON fullest of all cubes with a side of 16 levels, the fullest first."""
    cubes, which, counts = np.unique(np.floor(colors / 16), axis=0, return_inverse=True, return_counts=True)
    sums = np.stack([np.bincount(which.ravel(), colors[:, axis], len(cubes)) for axis in range(3)], axis=1)
    order = np.argsort(-counts, kind="stable")[:COMMON]
    result: NDArray[np.float32] = (sums[order] / counts[order, None]).astype(np.float32)
    return result
