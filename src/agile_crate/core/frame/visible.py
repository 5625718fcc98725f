"""The visible part of a picture, and cropping to it."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from ..model.geometry import Box, Offset, Size
from ..pixels import Pixels, words

SMALL_CANVAS_PIXELS = 128 * 128
"""Pixels. A canvas up to this is kept whole until it is trimmed: looking for its empty rim costs more than the rim."""


def box_of(mask: NDArray[np.bool_]) -> Box | None:
    """The smallest box that holds every true element of a mask of shape (h, w), or None."""
    rows = np.flatnonzero(mask.any(axis=1))
    if len(rows) == 0:
        return None
    top, bottom = int(rows[0]), int(rows[-1]) + 1
    columns = np.flatnonzero(mask[top:bottom].any(axis=0))
    left, right = int(columns[0]), int(columns[-1]) + 1
    return Box(left, top, right - left, bottom - top)


def visible_box(pixels: Pixels, trim_alpha: int = 0) -> Box | None:
    """The smallest box that holds every pixel of alpha above the floor, or None."""
    return box_of(pixels[..., 3] > trim_alpha)


def union(boxes: Iterable[Box]) -> Box | None:
    """The smallest box that holds all of these, or None without any."""
    boxes = list(boxes)
    if not boxes:
        return None
    left, top = min(box.x for box in boxes), min(box.y for box in boxes)
    return Box(left, top, max(box.right for box in boxes) - left, max(box.bottom for box in boxes) - top)


def cut_out(pixels: Pixels, box: Box) -> Pixels:
    """A view of a part of a picture; the box must lie inside it."""
    return pixels[box.y : box.bottom, box.x : box.right]


def within(pixels: Pixels, box: Box) -> Pixels:
    """Return a new picture of the box's size; it is empty where the box reaches beyond the old one."""
    height, width = pixels.shape[:2]
    inside = overlap(box, Box(0, 0, width, height))
    result = np.zeros((box.h, box.w, 4), np.uint8)
    result[inside.y - box.y : inside.bottom - box.y, inside.x - box.x : inside.right - box.x] = cut_out(pixels, inside)
    return result


def overlap(box: Box, other: Box) -> Box:
    """Return what two boxes share; an empty box within the second if they share nothing."""
    left, top = (min(max(a, b), b + side) for a, b, side in ((box.x, other.x, other.w), (box.y, other.y, other.h)))
    return Box(left, top, max(0, min(box.right, other.right) - left), max(0, min(box.bottom, other.bottom) - top))


def without_rim(pixels: Pixels) -> tuple[Pixels, Offset]:
    """A large picture without the rows and columns at its edges in which every byte is 0, and where that part begins.

    Nothing is lost, not even colors under alpha 0. The result is a copy where that saves a quarter of the memory,
    else a view. An empty picture keeps one pixel. Pictures up to SMALL_CANVAS_PIXELS are returned as they are.
    """
    height, width = pixels.shape[:2]
    if width * height <= SMALL_CANVAS_PIXELS:
        return pixels, Offset(0, 0)
    box = box_of(words(pixels) != 0) or Box(0, 0, 1, 1)
    part = cut_out(pixels, box)
    if 4 * box.w * box.h <= 3 * width * height:
        part = part.copy()
    return part, Offset(box.x, box.y)


def on_canvas(pixels: Pixels, offset: Offset, canvas: Size) -> Pixels:
    """Put a part back on its whole canvas, shape (canvas height, canvas width, 4); return the part itself if it fills
    the canvas."""
    height, width = pixels.shape[:2]
    if (width, height) == canvas:
        return pixels
    whole = np.zeros((canvas.h, canvas.w, 4), np.uint8)
    whole[offset.y : offset.y + height, offset.x : offset.x + width] = pixels
    return whole
