"""What is done to a frame as soon as it is decoded, so that large drawings never lie in memory all at once."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..model.geometry import ORIGIN, Size
from ..model.picture import Picture
from ..pixels import Pixels, hollow
from .visible import without_rim
from .wishes import ColorKey, Scaling

LARGEST_CANVAS = 16_384
"""Pixels. No side of a canvas may grow beyond it."""


class FirstLook(NamedTuple):
    """What is to be done at first sight: the colour key, and a scaling for each size of the build, where the factor is
    known by then. Equal values give equal results."""

    color_key: ColorKey | None
    scalings: tuple[Scaling, ...]


class Seen(NamedTuple):
    """What the first look gave: a picture for each size of the build."""

    pictures: tuple[Picture, ...]

    @property
    def nbytes(self) -> int:
        return sum(picture.nbytes for picture in self.pictures)


def seen(name: str, pixels: Pixels, look: FirstLook) -> Seen:
    """The frame of this name after the first look: keyed, cut down to what is not empty to the last byte, scaled.

    `pixels` are the decoded ones, shape (h, w, 4), and are not changed.
    """
    canvas = Size(pixels.shape[1], pixels.shape[0])
    gone = 0
    if look.color_key:
        from .color_key import keyed

        before = np.count_nonzero(pixels[..., 3])
        pixels = keyed(pixels, look.color_key)
        gone = int(before - np.count_nonzero(pixels[..., 3]))
    pixels, offset = without_rim(pixels)
    picture = Picture(name, pixels, canvas, offset, keyed=gone)
    return Seen(tuple(scaled_picture(picture, scaling) for scaling in look.scalings))


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
    from .scale import scaled, scaled_canvas

    canvas = scaled_canvas(picture.canvas, scaling.factor)
    if min(canvas) < 1 or max(canvas) > LARGEST_CANVAS:
        return picture._replace(canvas=canvas, pixels=picture.pixels[:0, :0], offset=ORIGIN)
    pixels, offset = scaled(picture.pixels, picture.offset, picture.canvas, scaling)
    return picture._replace(canvas=canvas, pixels=pixels, offset=offset)
