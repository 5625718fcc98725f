"""Merge layers and exchange colors, to make skins from other art."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..color import Color
from ..model.geometry import Box, Offset, Size
from ..model.picture import Picture, Vector
from ..pixels import Pixels, words
from .visible import union


def laid_over_each_other(pictures: Sequence[Picture]) -> Picture:
    """Compose pictures on canvases of one size, the first at the bottom: `over` of Porter and Duff ("Compositing
    digital images", SIGGRAPH 1984) in straight alpha, each channel rounded to the nearest. Cost: one pass for each."""
    first, *others = pictures
    if not others:
        return first
    whole = union(picture.part for picture in pictures if picture.pixels.size) or Box(0, 0, 0, 0)
    ground = np.zeros((whole.h, whole.w, 4), np.uint8)
    for picture in pictures:
        if picture.pixels.size:
            part = picture.part
            x, y = part.x - whole.x, part.y - whole.y
            inside = ground[y : y + part.h, x : x + part.w]
            inside[:] = over(picture.pixels, inside)
    return first._replace(pixels=ground, offset=Offset(whole.x, whole.y))


Exchange = tuple[tuple[Color, Color], ...]
"""Colors, each with the one that replaces it."""


def drawn_over_each_other(drawings: Sequence[Vector], canvas: Size) -> Pixels:
    """Draw vector drawings over each other on a canvas, shape (h, w, 4)."""
    pixels = drawings[0].draw(canvas)
    for drawing in drawings[1:]:
        pixels = over(drawing.draw(canvas), pixels)
    return pixels


def over(above: Pixels, below: Pixels) -> Pixels:
    """Lay pixels over others of the same shape (h, w, 4), straight alpha: a new array."""
    a, b = above[..., 3:].astype(np.uint32), below[..., 3:].astype(np.uint32)
    rest = b * (255 - a)
    alpha = 255 * a + rest
    colors = above[..., :3] * (255 * a) + below[..., :3] * rest
    result = np.empty_like(above)
    result[..., :3] = (colors + alpha // 2) // np.maximum(alpha, 1)
    result[..., 3:] = (alpha + 127) // 255
    return result


def composed(first: Exchange, then: Exchange) -> Exchange:
    """Return one exchange with the effect of two in a row.

    >>> red, green, blue = Color(255, 0, 0), Color(0, 255, 0), Color(0, 0, 255)
    >>> dict(composed(((red, green),), ((green, blue),))) == {red: blue, green: blue}
    True
    """
    after = dict(then)
    return tuple({**after, **{old: after.get(new, new) for old, new in first}}.items())


def recolored(pixels: Pixels, exchange: Exchange) -> Pixels:
    """Exchange exact colors, whatever their alpha: a new array of shape (h, w, 4). All are looked up in the original
    pixels, so two colors can change places."""
    result = pixels.copy()
    found = words(pixels) & 0xFFFFFF
    for old, new in exchange:
        result[..., :3][found == _word(old)] = new
    return result


def has_color(pixels: Pixels, color: Color) -> bool:
    """Return True if a color stands anywhere exactly, where anything is visible."""
    found = words(pixels)
    return bool(((found & 0xFFFFFF == _word(color)) & (found > 0xFFFFFF)).any())


def _word(color: Color) -> int:
    return color[0] | color[1] << 8 | color[2] << 16
