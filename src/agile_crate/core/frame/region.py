"""Cropping canvases to a rectangle of them."""

from __future__ import annotations

from functools import partial

import numpy as np

from ..model.geometry import ORIGIN, Box, Offset, Size
from ..model.picture import Picture, Vector
from ..pixels import Pixels
from .visible import cut_out, overlap, within


def cropped(picture: Picture, region: Box) -> Picture:
    """Return the picture with a rectangle of its canvas as its canvas, which may reach beyond the old one. `cut` counts
    the visible pixels outside. Pixels are a view of the given ones."""
    part = picture.part
    inside = overlap(region, part)
    if not (inside.w and inside.h):
        kept, offset = picture.pixels[:0, :0], ORIGIN
    else:
        kept = cut_out(picture.pixels, inside.moved(Offset(-part.x, -part.y)))
        offset = Offset(inside.x - region.x, inside.y - region.y)
    cut = 0 if kept.shape == picture.pixels.shape else _visible(picture.pixels) - _visible(kept)
    vector = picture.vector and vector_region(picture.vector, region)
    return picture._replace(pixels=kept, canvas=region.size, offset=offset, cut=picture.cut + cut, vector=vector)


def _visible(pixels: Pixels) -> int:
    return int(np.count_nonzero(pixels[..., 3]))


def vector_region(vector: Vector, region: Box) -> Vector:
    """Return a drawing of a rectangle of a drawing."""
    return Vector(region.size, partial(_drawn, vector, region))


def _drawn(vector: Vector, region: Box, size: Size) -> Pixels:
    """Draw the whole drawing so large that its region has this size, and crop it."""
    across, down = size.w / region.w, size.h / region.h
    whole = vector.draw(Size(max(1, round(vector.size.w * across)), max(1, round(vector.size.h * down))))
    return within(whole, Box(round(region.x * across), round(region.y * down), *size))


def mirrored_region(region: Box, canvas: Size) -> Box:
    """Return the same rectangle of a mirrored canvas.

    >>> mirrored_region(Box(2, 0, 5, 4), Size(20, 9))
    Box(x=13, y=0, w=5, h=4)
    """
    return region._replace(x=canvas.w - region.right)
