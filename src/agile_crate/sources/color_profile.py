"""Color profiles of pictures, and conversion to sRGB, the color space of sheets."""

from __future__ import annotations

import io
from collections.abc import Mapping
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from PIL import Image

from ..core.frame.srgb import CHROMATICITY, GAMMA, from_gamma
from ..core.pixels import Pixels
from ..core.png_chunks import PictureError

ALIKE = 2
"""Levels of 255. A profile that moves no color by more is as good as sRGB."""


class ColorProfile(NamedTuple):
    """ColorProfile that are not sRGB: by an ICC profile, or by remarks on gamma and primaries."""

    profile: bytes = b""
    gamma: float = GAMMA
    chromaticity: tuple[float, ...] = CHROMATICITY


def foreign_colors(info: Mapping[Any, Any]) -> ColorProfile | None:
    """Return what an opened image's notes say of its colors; None where that is sRGB, or nothing that makes sense.

    As PNG has it, a profile counts before a remark that the picture is sRGB, and that before gamma and primaries.
    """
    profile = info.get("icc_profile")
    if isinstance(profile, bytes) and profile:
        return None if _is_srgb(profile) else ColorProfile(profile)
    if "srgb" in info:
        return None
    gamma, primaries = info.get("gamma") or GAMMA, tuple(info.get("chromaticity") or CHROMATICITY)
    if not 0.05 <= gamma <= 20 or len(primaries) != 8 or min(primaries[1::2]) <= 0:
        return None
    if abs(gamma - GAMMA) < 0.002 and all(abs(a - b) < 0.005 for a, b in zip(primaries, CHROMATICITY, strict=True)):
        return None
    return ColorProfile(b"", gamma, primaries if primaries != CHROMATICITY else CHROMATICITY)


def in_srgb(pixels: Pixels, colors: ColorProfile) -> Pixels:
    """The same colors in sRGB: a new array of shape (h, w, 4); alpha stays. Raises PictureError."""
    if not colors.profile:
        try:
            return from_gamma(pixels, colors.gamma, colors.chromaticity)
        except ValueError as error:
            raise PictureError(f"cannot be brought to sRGB: {error}") from None
    result = pixels.copy()
    result[..., :3] = _by_profile(np.ascontiguousarray(pixels[..., :3]), colors.profile)
    return result


def cmyk_in_srgb(image: Image.Image, colors: ColorProfile) -> Image.Image:
    """A CMYK image by its profile, as RGB. Raises PictureError."""
    from PIL import ImageCms

    try:
        transform = ImageCms.buildTransform(
            _opened(colors.profile),
            ImageCms.createProfile("sRGB"),
            "CMYK",
            "RGB",
            ImageCms.Intent.RELATIVE_COLORIMETRIC,
        )
        made = ImageCms.applyTransform(image, transform)
    except (ImageCms.PyCMSError, OSError, ValueError):
        raise _unusable() from None
    return made if made is not None else image


def _by_profile(colors: np.ndarray, profile: bytes) -> np.ndarray:
    """ColorProfile of shape (h, w, 3) through a profile, RGB or gray, to sRGB (by LittleCMS, in Pillow)."""
    from PIL import ImageCms

    try:
        source = _opened(profile)
        is_gray = source.profile.xcolor_space.strip() == "GRAY"
        transform = ImageCms.buildTransform(
            source,
            ImageCms.createProfile("sRGB"),
            "L" if is_gray else "RGB",
            "RGB",
            ImageCms.Intent.RELATIVE_COLORIMETRIC,
        )
        image = Image.fromarray(np.ascontiguousarray(colors[..., 0]) if is_gray else colors)
        made = ImageCms.applyTransform(image, transform)
    except (ImageCms.PyCMSError, OSError, ValueError):
        raise _unusable() from None
    return np.asarray(made)


def _opened(profile: bytes) -> Any:
    from PIL import ImageCms

    return ImageCms.getOpenProfile(io.BytesIO(profile))


def _unusable() -> PictureError:
    return PictureError("has a color profile that cannot be used")


@lru_cache(maxsize=64)
def _is_srgb(profile: bytes) -> bool:
    """Return True if a profile leaves colors where they are: judged by its effect on some of them, not by its name."""
    levels = np.array([0, 32, 96, 160, 224, 255], np.uint8)
    colors = np.stack(np.meshgrid(levels, levels, levels), axis=-1).reshape(1, -1, 3)
    try:
        moved = _by_profile(colors, profile)
    except PictureError:
        return False
    return bool(np.abs(moved.astype(int) - colors).max() <= ALIKE)
