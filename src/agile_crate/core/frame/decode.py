"""What is done to a frame as soon as it is decoded, so that large drawings never lie in memory all at once."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import NamedTuple

import numpy as np

from ..model.geometry import ORIGIN, Size
from ..model.picture import Picture, Vector
from ..pixels import Pixels, hollow
from .options import ColorKey, Scaling
from .visible import without_rim

LARGEST_CANVAS = 16_384
"""Pixels. No side of a canvas may grow beyond it."""


class FirstLook(NamedTuple):
    """What is to be done at first sight: the colour key, and a scaling for each size of the build, where the factor is
    known by then; else what is drawn from vectors keeps them. Equal values give equal results."""

    color_key: ColorKey | None
    scalings: tuple[Scaling, ...]
    keeps_vectors: bool = False


class Seen(NamedTuple):
    """What the first look gave: a picture for each size of the build."""

    pictures: tuple[Picture, ...]

    @property
    def nbytes(self) -> int:
        return sum(picture.nbytes for picture in self.pictures)


def seen(name: str, drawn: Pixels | Vector, look: FirstLook) -> Seen:
    """The frame of this name after the first look: keyed, cut down to what is not empty to the last byte, scaled; one
    in vectors is drawn afresh for each size.

    `drawn` are decoded pixels, shape (h, w, 4), which are not changed, or a drawing.
    """
    if isinstance(drawn, Vector):
        pictures = (_drawn(name, drawn, scaling, look.color_key) for scaling in look.scalings)
        if look.keeps_vectors:
            vector = drawn._replace(draw=partial(_keyed, drawn.draw, look.color_key))
            pictures = (picture._replace(vector=vector) for picture in pictures)
        return Seen(tuple(pictures))
    picture = _without_key(name, drawn, look.color_key)
    return Seen(tuple(scaled_picture(picture, scaling) for scaling in look.scalings))


def _without_key(name: str, pixels: Pixels, key: ColorKey | None) -> Picture:
    canvas = Size(pixels.shape[1], pixels.shape[0])
    gone = 0
    if key:
        from .color_key import keyed

        before = np.count_nonzero(pixels[..., 3])
        pixels = keyed(pixels, key)
        gone = int(before - np.count_nonzero(pixels[..., 3]))
    pixels, offset = without_rim(pixels)
    return Picture(name, pixels, canvas, offset, keyed=gone)


def _keyed(draw: Callable[[Size], Pixels], key: ColorKey | None, canvas: Size) -> Pixels:
    from .color_key import keyed

    return keyed(draw(canvas), key) if key else draw(canvas)


def _drawn(name: str, vector: Vector, scaling: Scaling, key: ColorKey | None) -> Picture:
    """A drawing at a scale."""
    from .scale import scaled_canvas

    canvas = scaled_canvas(vector.size, scaling.factor)
    if min(canvas) < 1 or max(canvas) > LARGEST_CANVAS:
        return Picture(name, np.zeros((0, 0, 4), np.uint8), canvas)
    return _without_key(name, vector.draw(canvas), key)


def hollow_picture(name: str, file: str, canvas: Size, look: FirstLook) -> Picture | None:
    """What `seen` would give at one size, but for its pixels, which are still to be read; None if that cannot be told
    without them."""
    from .scale import scaled_canvas

    (scaling,) = look.scalings
    scaled = canvas if scaling.factor == 1 else scaled_canvas(canvas, scaling.factor)
    if look.color_key or min(scaled) < 1 or max(scaled) > LARGEST_CANVAS:
        return None
    return Picture(name, hollow(*scaled), scaled, file=file)


def scaled_picture(picture: Picture, scaling: Scaling) -> Picture:
    """The picture scaled; one that vanishes or grows too large keeps only its new canvas, to be refused by name."""
    if scaling.factor == 1:
        return picture
    if picture.flipped:
        from .mirror import flipped

        return flipped(scaled_picture(flipped(picture), scaling))
    if picture.vector:
        return _drawn(picture.name, picture.vector, scaling, None)._replace(keyed=picture.keyed)
    from .scale import scaled, scaled_canvas

    canvas = scaled_canvas(picture.canvas, scaling.factor)
    if min(canvas) < 1 or max(canvas) > LARGEST_CANVAS:
        return picture._replace(canvas=canvas, pixels=picture.pixels[:0, :0], offset=ORIGIN)
    pixels, offset = scaled(picture.pixels, picture.offset, picture.canvas, scaling)
    return picture._replace(canvas=canvas, pixels=pixels, offset=offset)
