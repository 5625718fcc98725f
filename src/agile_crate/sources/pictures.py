"""Pictures in the formats that Pillow reads, to 8-bit RGBA with straight alpha."""

from __future__ import annotations

import contextlib
import io
from collections.abc import Iterator
from collections.abc import Set as AbstractSet
from typing import TYPE_CHECKING

import numpy as np
from PIL import Image, PngImagePlugin, UnidentifiedImageError

from ..core.limits import USUAL, Limits
from ..core.model.geometry import Size
from ..core.pixels import Pixels
from ..core.png_chunks import SIGNATURE, PictureError
from .animated import read_sequence, refuse_cut_gif
from .decoded import DecodedFile, DecodedSequence, claims_too_much, refuse_large, refusing_damage
from .deep_png import is_deep_png, read_deep_png
from .plain_png import read_if_plain
from .read_options import PLAIN, ReadOptions
from .rgba import to_rgba

if TYPE_CHECKING:
    from .color_profile import ColorProfile

QUICK_FORMATS = ("PNG", "JPEG", "GIF", "BMP", "PPM")
"""Formats that Pillow has at hand without loading all of its plug-ins."""

REFUSED_FORMATS = frozenset({"EPS", "WMF", "MPEG", "BUFR", "GRIB", "HDF5", "FLI"})
"""Formats that Pillow opens by starting another program, only recognizes, or that are films."""

MOVING_FORMATS = frozenset({"PNG", "GIF", "WEBP", "TIFF", "AVIF"})
"""Formats in which several pictures in one file are a sequence (elsewhere they are previews or layers)."""


def picture_endings() -> AbstractSet[str]:
    """The file endings of every still format that Pillow reads, in lower case with the dot."""
    formats = _all_formats()
    return {ending for ending, name in Image.EXTENSION.items() if name in formats}


def decode_picture(data: bytes, largest: int, options: ReadOptions, orientation: bytes) -> DecodedFile:
    """Decode a picture that is no plain PNG; the `orientation` note (Exif) of a PNG is known already. Raises
    PictureError."""
    limits = options.limits
    with refusing_damage(), _refusing_foreign(largest, limits), _opened(data) as image:
        colors = _foreign_colors(image)
        wanted = colors if options.to_srgb else None
        if data.startswith(SIGNATURE) and is_deep_png(data):
            refuse_large(*image.size, largest, limits)
            deep = Image.fromarray(read_deep_png(data))
            deep.info["exif"] = orientation
            return DecodedFile(to_rgba(deep, wanted), colors is not None)
        return DecodedFile(_decoded(image, data, largest, wanted, limits), colors is not None)


def _foreign_colors(image: Image.Image) -> ColorProfile | None:
    if image.info.keys().isdisjoint(("icc_profile", "gamma", "chromaticity")):
        return None
    from .color_profile import foreign_colors

    return foreign_colors(image.info)


def read_still(data: bytes, largest: int = 0, limits: Limits = USUAL) -> Pixels:
    """Decode what must be one picture, as `read_source.read_picture` does; no layers, renders or vectors. Raises
    PictureError."""
    largest = largest or limits.picture_pixels
    pixels, orientation = read_if_plain(data, largest, limits)
    if pixels is not None:
        return pixels
    picture = decode_picture(data, largest, PLAIN, orientation).picture
    if not isinstance(picture, np.ndarray):
        raise PictureError("holds a sequence of pictures")
    return picture


def picture_size(data: bytes, largest: int, limits: Limits) -> Size:
    """Return the width and height that a picture's header claims, and decode nothing. Raises as `decode_picture`
    does."""
    with refusing_damage(), _refusing_foreign(largest, limits), _opened(data) as image:
        refuse_large(*image.size, largest, limits)
        return Size(*image.size)


@contextlib.contextmanager
def _refusing_foreign(largest: int, limits: Limits) -> Iterator[None]:
    try:
        yield
    except UnidentifiedImageError:
        raise PictureError("is not a picture in a known format") from None
    except Image.DecompressionBombError:
        raise PictureError(claims_too_much(largest, limits)) from None


def _opened(data: bytes) -> Image.Image:
    """The picture with its header read. PNG goes past the general entry, which loads plug-ins for other formats."""
    if not data:
        raise PictureError("is empty")
    if data.startswith(SIGNATURE):
        return PngImagePlugin.PngImageFile(io.BytesIO(data))
    try:
        return Image.open(io.BytesIO(data), formats=QUICK_FORMATS)
    except UnidentifiedImageError:
        return Image.open(io.BytesIO(data), formats=_all_formats())


def _all_formats() -> list[str]:
    Image.init()
    return [name for name in Image.ID if name not in REFUSED_FORMATS]


def _decoded(
    image: Image.Image, data: bytes, largest: int, colors: ColorProfile | None, limits: Limits
) -> Pixels | DecodedSequence[Pixels]:
    refuse_large(*image.size, largest, limits)
    if image.format == "GIF":
        refuse_cut_gif(data)
    if image.format in MOVING_FORMATS and getattr(image, "n_frames", 1) > 1:
        return read_sequence(image, data, largest, limits, colors)
    return to_rgba(image, colors)
