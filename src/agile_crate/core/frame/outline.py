"""A line around a figure, or just inside its edge."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..pixels import Pixels
from .options import Outline

Plane = NDArray[np.uint8]


def outlined(pixels: Pixels, outline: Outline) -> Pixels:
    """The figure with its line: a new array, larger by `outline.reach` on each side.

    The line covers a pixel by as much as the best of the figure's pixels q offers it: alpha(q) times the share of the
    pixel that lies within the width of q, taken as w + 1 - |p - q| between 0 and 1: the dilation of a gray picture by a
    disk with a smooth edge (Serra, 1982). True distance, so corners are round; a half-covered edge moves the line by
    half a pixel. Outside, the line lies under the figure; inside, over it, and alpha stays (Porter and Duff, 1984,
    `over` and `atop`). Cost: 4 w² passes over alpha.
    """
    reach = outline.reach
    height, width = pixels.shape[:2]
    result = np.zeros((height + 2 * reach, width + 2 * reach, 4), np.uint8)
    result[reach : reach + height, reach : reach + width] = pixels
    alpha = result[..., 3].copy()
    color = np.array(outline.color, np.float32)
    if outline.inner:
        line = _grown(255 - np.pad(alpha, outline.width), outline)
        line = line[outline.width : outline.width + height, outline.width : outline.width + width]
        line = np.where(alpha > 0, line, 0).astype(np.uint8)
        where = line > 0
        share = (line[where].astype(np.float32) / 255)[:, None]
        result[where, :3] = result[where, :3] * (1 - share) + color * share + 0.5
        return result
    line = _grown(alpha, outline)
    where = (line > 0) & (alpha < 255)
    over = alpha[where].astype(np.float32) / 255
    under = (line[where].astype(np.float32) / 255) * (1 - over)
    total = over + under
    mixed = (result[where, :3] * over[:, None] + color * under[:, None]) / total[:, None]
    result[where, :3] = mixed + 0.5
    result[where, 3] = total * 255 + 0.5
    return result


def _grown(alpha: Plane, outline: Outline) -> Plane:
    """Return how far each pixel is covered by the figure grown by the outline's width; hard outlines are on or off."""
    height, width = alpha.shape
    result = alpha.copy()
    for dy, dx, share in _disk(outline.width):
        if abs(dy) >= height or abs(dx) >= width:
            continue
        source = alpha[max(0, -dy) : height - max(0, dy), max(0, -dx) : width - max(0, dx)]
        target = result[max(0, dy) : height + min(0, dy), max(0, dx) : width + min(0, dx)]
        if share < 255:
            source = ((source.astype(np.uint16) * share + 127) // 255).astype(np.uint8)
        np.maximum(target, source, out=target)
    if outline.hard:
        result = np.where(result >= 128, np.uint8(255), np.uint8(0))
    return result


@lru_cache
def _disk(width: int) -> tuple[tuple[int, int, int], ...]:
    """Shifts within the width of a pixel's middle, each with the covered share, of 255, of the pixel at the shift."""
    y, x = np.mgrid[-width - 1 : width + 2, -width - 1 : width + 2]
    share = np.floor(np.clip(width + 1 - np.hypot(x, y), 0, 1) * 255 + 0.5).astype(int)
    found = (share > 0) & ((x != 0) | (y != 0))
    return tuple(zip(y[found].tolist(), x[found].tolist(), share[found].tolist(), strict=True))
