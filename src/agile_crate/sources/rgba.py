"""Convert an opened image of any mode to an array."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PIL import Image

from ..core.pixels import Pixels
from .deep_png import rounded_to_bytes

if TYPE_CHECKING:
    from .color_profile import ColorProfile

_ORIENTATION_NOTES = ("exif", "Raw profile type exif", "xmp")


def to_rgba(image: Image.Image, colors: ColorProfile | None = None) -> Pixels:
    """The pixels of an opened image as they stand upright: shape (h, w, 4), uint8, straight alpha, read-only.

    With `colors`, they are brought from those to sRGB.
    """
    image.load()  # also reads notes that stand behind the pixels
    if colors is None:
        return _upright(image)
    from .color_profile import cmyk_in_srgb, in_srgb

    if image.mode == "CMYK" and colors.profile:
        return _upright(cmyk_in_srgb(image, colors))
    return in_srgb(_upright(image), colors)


def _upright(image: Image.Image) -> Pixels:
    if any(image.info.get(note) for note in _ORIENTATION_NOTES) or image.format == "TIFF":
        from PIL import ImageOps

        image = ImageOps.exif_transpose(image)
    if image.mode == "RGBA":
        return _as_array(image)
    if image.mode.startswith("I"):
        return _from_gray(rounded_to_bytes(np.clip(np.asarray(image), 0, 65_535).astype(np.uint16)))
    if image.mode == "F":
        shade = np.clip(np.nan_to_num(np.asarray(image)), 0, 1)
        return _from_gray(np.floor(shade * 255 + 0.5).astype(np.uint8))
    if image.mode in ("CMYK", "YCbCr", "LAB", "HSV"):
        image = image.convert("RGB")
    return _as_array(image.convert("RGBA"))


def _as_array(image: Image.Image) -> Pixels:
    """The pixels of an RGBA image; NumPy's own conversion asks the image for many things first."""
    return np.frombuffer(image.tobytes(), np.uint8).reshape(image.height, image.width, 4)


def _from_gray(gray: np.ndarray) -> Pixels:
    opaque = np.full_like(gray, 255)
    return np.dstack((gray, gray, gray, opaque))
