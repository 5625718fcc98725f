"""The theme of all views: colors, the checkerboard, fonts."""

from __future__ import annotations

import math
from functools import cache
from importlib import resources

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from ..core.color import Color
from ..core.errors import UsageError
from ..core.limits import Limits, raise_hint
from ..core.message import setting
from ..core.model.geometry import Size
from ..core.pixels import Pixels
from ..core.text import counted, measured

TONES = (
    Color(0, 90, 200),
    Color(245, 140, 10),
    Color(0, 140, 110),
    Color(200, 50, 150),
    Color(225, 215, 30),
    Color(90, 40, 150),
    Color(90, 200, 250),
    Color(125, 50, 10),
)
"""They differ in lightness as well as in hue, so that they differ also for eyes that confuse red with green."""

STILL_TONE = Color(110, 116, 128)
INK, PAPER, FAINT = Color(28, 33, 43), Color(250, 250, 248), Color(120, 126, 138)
CHECKER = (Color(255, 255, 255), Color(217, 221, 228))
BEFORE, AFTER = Color(235, 110, 20), Color(30, 90, 220)
"""Onion skins of the frames before and after."""

GROUND, PIVOT, OUTLINE = Color(200, 40, 60), Color(20, 24, 32), Color(200, 30, 160)
"""The ground guide, a pivot's cross on PAPER, collision shapes."""

MARGIN_TONE, GAP_TONE = Color(90, 98, 115), Color(150, 160, 178)
EDGE_TONE, CUSHION_TONE = Color(230, 120, 60), Color(70, 170, 160)
"""Colors of a sheet's marks."""

RULE = Color(154, 162, 176)
"""Lines that only help."""

SEEN_TONE, INSIDE_TONE, OUTSIDE_TONE = Color(0, 120, 106), Color(240, 176, 96), Color(201, 206, 214)
"""Colors of a sheet's shares: visible, empty inside boxes, outside boxes."""

ERROR, WARNING, NOTE, GOOD = Color(200, 40, 60), Color(224, 160, 32), Color(58, 122, 165), Color(31, 157, 85)
"""Colors of severities, and of "no problems"."""

FEET, MASS = Color(0, 140, 110), Color(150, 60, 190)
"""The paths of the feet and of the center of mass."""

CHECKER_SIDE = 8
TYPEFACE, FIGURES = '"DejaVu Sans", Verdana, sans-serif', '"DejaVu Sans Mono", Menlo, Consolas, monospace'
"""The fonts of pages, if installed; pictures come with DejaVu Sans."""


@cache
def letters(size: int) -> ImageFont.FreeTypeFont:
    """DejaVu Sans, so many pixels high: the font comes along, so that letters are the same on every machine."""
    font = resources.files(__package__) / "font" / "DejaVuSans.ttf"
    with resources.as_file(font) as path:
        return ImageFont.truetype(path, size)


def text_size(text: str, size: int) -> Size:
    """The room that a line of text takes, in whole pixels."""
    return Size(math.ceil(letters(size).getlength(text)), line_height(size))


def line_height(size: int) -> int:
    """The height of any line of text."""
    ascent, descent = letters(size).getmetrics()
    return ascent + descent


def tone_of(index: int | None) -> Color:
    """The color of an animation by its index; None for stills."""
    return STILL_TONE if index is None else TONES[index % len(TONES)]


def backdrop(size: Size, color: Color | None) -> Pixels:
    """An opaque ground of shape (h, w, 4): one color, or a checkerboard."""
    ground = np.empty((size.h, size.w, 4), np.uint8)
    ground[..., 3] = 255
    if color:
        ground[..., :3] = color
        return ground
    y, x = np.ogrid[: size.h, : size.w]
    dark = (y // CHECKER_SIDE + x // CHECKER_SIDE) % 2 == 1
    ground[..., :3] = np.where(dark[..., None], np.array(CHECKER[1], np.uint8), np.array(CHECKER[0], np.uint8))
    return ground


def refuse_too_large(size: Size, zoom: int, limits: Limits) -> None:
    """Raise UsageError if an enlarged picture would have more pixels than a view may."""
    if size.w * zoom * size.h * zoom > limits.view_pixels:
        large = measured(Size(size.w * zoom, size.h * zoom))
        raise UsageError(
            "{} would make a view of {} pixels; choose a smaller one, or {}",
            setting("zoom", zoom),
            large,
            raise_hint("view_pixels"),
        )


def refuse_too_long(pixels: int, zoom: int, limits: Limits) -> None:
    """Raise UsageError if a film's enlarged pictures would have more pixels than a view may."""
    if pixels * zoom * zoom > (most := limits.view_pixels):
        raise UsageError(
            "the film would have {} in all, and {:,} is the most; choose one {animation}, or a smaller {zoom}; {}",
            counted(pixels * zoom * zoom, "pixel"),
            most,
            raise_hint("view_pixels"),
        )


def enlarged(pixels: Pixels, factor: int) -> Pixels:
    """Enlarge every pixel to a square."""
    return pixels if factor == 1 else pixels.repeat(factor, axis=0).repeat(factor, axis=1)


def over(ground: Pixels, pixels: Pixels, x: int, y: int, strength: int = 255) -> None:
    """Lay pixels over a ground in place, cut off at its edges, with `strength` / 255 of their alpha (Porter and Duff,
    1984)."""
    left, top = max(x, 0), max(y, 0)
    right, bottom = min(x + pixels.shape[1], ground.shape[1]), min(y + pixels.shape[0], ground.shape[0])
    if left >= right or top >= bottom:
        return
    above, below = pixels[top - y : bottom - y, left - x : right - x], ground[top:bottom, left:right]
    if strength == 255 and below[..., 3].min() == 255:
        share = above[..., 3:].astype(np.uint16)
        below[..., :3] = (above[..., :3] * share + below[..., :3] * (255 - share) + 127) // 255
        return
    above, below = above.astype(np.float32), below.astype(np.float32)
    cover = above[..., 3:] * (strength / 255 / 255)
    rest = below[..., 3:] / 255 * (1 - cover)
    alpha = cover + rest
    mixed = (above[..., :3] * cover + below[..., :3] * rest) / np.maximum(alpha, 1e-6)
    ground[top:bottom, left:right, :3] = np.floor(mixed + 0.5)
    ground[top:bottom, left:right, 3:] = np.floor(alpha * 255 + 0.5)


def write(image: Image.Image, place: tuple[int, int], text: str, size: int, color: Color) -> None:
    """Write a line of text with its top left at a place."""
    ImageDraw.Draw(image).text(place, text, fill=tuple(color), font=letters(size))
