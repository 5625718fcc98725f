"""Likeness of two pictures."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..model.picture import Picture
from ..pixels import Pixels
from .alpha import premultiplied
from .visible import union


def alike(a: Picture, b: Picture, tolerance: int = 0) -> bool:
    """Return True if two pictures are the same on one canvas: to the byte, or, with a tolerance, where no channel of
    any pixel differs by more than so many levels of 255, colors multiplied by their alpha, so that invisible
    pixels do not count. Cost: linear in the pixels."""
    if a.canvas != b.canvas:
        return False
    if a.pixels is b.pixels and a.offset == b.offset:
        return True
    if tolerance == 0:
        return a.offset == b.offset and np.array_equal(a.pixels, b.pixels)
    box = union([a.part, b.part])
    if box is None:
        return True

    def within(picture: Picture) -> NDArray[np.int16]:
        whole = np.zeros((box.h, box.w, 4), np.int16)
        x, y = picture.offset.x - box.x, picture.offset.y - box.y
        height, width = picture.pixels.shape[:2]
        whole[y : y + height, x : x + width] = premultiplied(picture.pixels)
        return whole

    return int(np.abs(within(a) - within(b)).max(initial=0)) <= tolerance


def furthest_apart(a: Pixels, b: Pixels) -> int:
    """Return the largest difference of any channel, in levels of 255, between two pictures of shape (h, w, 4), straight
    alpha, colors multiplied by it: the least tolerance at which they are equal."""
    if a.shape != b.shape:
        return 255
    return int(np.abs(premultiplied(a).astype(np.int16) - premultiplied(b)).max(initial=0))
