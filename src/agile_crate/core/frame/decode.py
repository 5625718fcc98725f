"""Steps applied to a frame as soon as its file is read, so that large drawings are never all in memory."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple

import numpy as np

from ..align import offset_in
from ..model.geometry import ORIGIN, Box, Offset, Size
from ..model.picture import Picture, Vector
from ..pixels import Pixels, placeholder
from .options import ColorKey, Scaling
from .pixel_art import hard_edged_colors
from .region import cropped, vector_region
from .visible import without_rim

LARGEST_CANVAS = 16_384
"""Pixels. No side of a canvas may grow beyond it."""


class Decoding(NamedTuple):
    """Steps for each frame as it is decoded; equal values give equal results.

    color_key      is applied first
    region         the part of the canvas that is kept, None for all of it
    scalings       one for each size of the build, or none yet if the factor is found later
    keeps_vectors  keep a drawing in vectors with its picture, to draw it again by that factor
    multiple       canvases get empty pixels, before they are scaled, until their sides are multiples of it
    """

    color_key: ColorKey | None
    scalings: tuple[Scaling, ...]
    keeps_vectors: bool = False
    multiple: int = 1
    region: Box | None = None


class DecodedFrame(NamedTuple):
    """A frame that was decoded: a picture for each size of the build."""

    pictures: tuple[Picture, ...]

    @property
    def nbytes(self) -> int:
        """The memory that its pixels take."""
        return sum(picture.nbytes for picture in self.pictures)


def decoded(name: str, drawn: Pixels | Vector, decoding: Decoding) -> DecodedFrame:
    """Return the frame of this name keyed, cut down to its bytes that are not zero, and scaled; one in vectors is drawn
    anew for each size.

    `drawn` are decoded pixels, shape (h, w, 4), which are not changed, or a drawing.
    """
    if isinstance(drawn, Vector):
        return DecodedFrame(tuple(_drawings(name, drawn, decoding)))
    picture = _without_key(name, drawn, decoding.color_key)
    picture = on_multiple(cropped(picture, decoding.region) if decoding.region else picture, decoding)
    return DecodedFrame(tuple(scaled_picture(picture, scaling) for scaling in decoding.scalings))


def _drawings(name: str, vector: Vector, decoding: Decoding) -> Iterator[Picture]:
    """Yield a drawing in vectors at each size. For a region, the whole drawing is drawn once more, at its own size, to
    count what the key and the region take away."""
    key, region = decoding.color_key, decoding.region
    keyed = vector._replace(draw=partial(_keyed, vector.draw, key)) if key else vector
    own = None
    if region:
        own = cropped(_without_key(name, vector.draw(vector.size), key), region)
        vector, key = (keyed := vector_region(keyed, region)), None  # whose ground may be outside of the region
    whole = _multiple_of(vector.size, decoding.multiple)
    for scaling in decoding.scalings:
        picture = _drawn(name, vector, whole, scaling, key)
        picture = picture._replace(keyed=own.keyed, cut=own.cut) if own else picture
        yield picture._replace(vector=keyed) if decoding.keeps_vectors else picture


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


def on_multiple(picture: Picture, decoding: Decoding) -> Picture:
    """Return a picture with its canvas padded for scaling."""
    return _on(picture, _multiple_of(picture.canvas, decoding.multiple), decoding.scalings[0].place)


def _on(picture: Picture, canvas: Size, place: str) -> Picture:
    if canvas == picture.canvas:
        return picture
    by = offset_in(canvas, picture.canvas, place)
    return picture._replace(canvas=canvas, offset=Offset(picture.offset.x + by.x, picture.offset.y + by.y))


def _multiple_of(size: Size, multiple: int) -> Size:
    return Size(*(-(-side // multiple) * multiple for side in size))


def _keyed(draw: Callable[[Size], Pixels], key: ColorKey | None, canvas: Size) -> Pixels:
    from .color_key import keyed

    return keyed(draw(canvas), key) if key else draw(canvas)


def _drawn(name: str, vector: Vector, whole: Size, scaling: Scaling, key: ColorKey | None) -> Picture:
    """Return a drawing at a scale. `whole` is its canvas before scaling."""
    from .scale import scaled_canvas

    canvas = scaled_canvas(vector.size, scaling.factor)
    if min(canvas) < 1 or max(canvas) > LARGEST_CANVAS:
        return Picture(name, np.zeros((0, 0, 4), np.uint8), canvas)
    return _on(_without_key(name, vector.draw(canvas), key), scaled_canvas(whole, scaling.factor), scaling.place)


def placeholder_picture(name: str, file: str, canvas: Size, decoding: Decoding) -> Picture | None:
    """Return what `decoded` would give at one size, but for its pixels, which are still to be read; None if that cannot
    be found without them."""
    from .scale import scaled_canvas

    (scaling,) = decoding.scalings
    scaled = canvas if scaling.factor == 1 else scaled_canvas(canvas, scaling.factor)
    if (
        decoding.color_key
        or decoding.region
        or decoding.multiple > 1
        or min(scaled) < 1
        or max(scaled) > LARGEST_CANVAS
    ):
        return None
    return Picture(name, placeholder(*scaled), scaled, file=file)


def scaled_picture(picture: Picture, scaling: Scaling) -> Picture:
    """The picture scaled; one that vanishes or grows too large keeps only its new canvas, so that an error can name
    it."""
    if scaling.factor == 1:
        return picture
    if picture.flipped:
        from .mirror import flipped

        return flipped(scaled_picture(flipped(picture), scaling))
    if picture.vector:
        drawn = _drawn(picture.name, picture.vector, picture.canvas, scaling, None)
        return drawn._replace(keyed=picture.keyed, cut=picture.cut)
    from .scale import scaled, scaled_canvas

    canvas = scaled_canvas(picture.canvas, scaling.factor)
    if min(canvas) < 1 or max(canvas) > LARGEST_CANVAS:
        return picture._replace(canvas=canvas, pixels=picture.pixels[:0, :0], offset=ORIGIN)
    colors = hard_edged_colors(picture.pixels) if scaling.smooth else 0
    pixels, offset = scaled(picture.pixels, picture.offset, picture.canvas, scaling)
    return picture._replace(canvas=canvas, pixels=pixels, offset=offset, smoothed_colors=colors)
