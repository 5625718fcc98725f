"""Steps that change colours and sizes: colour key, scale, hard alpha and palette, fill under."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from ..core.alpha import UNDER_REACH, filled_under, hard_alpha
from ..core.canvas import largest
from ..core.compare import fingerprint
from ..core.errors import FitError, UsageError
from ..core.model import Offset, Picture, Size
from ..core.pixels import Pixels
from ..core.scale import is_whole, scaled, scaled_canvas
from ..core.text import counted, few, joined, measured, quoted
from ..core.trim import visible_on_canvas
from ..core.visible import on_canvas, without_rim
from ..core.wishes import Scaling
from ..settings import Settings
from .load import Load

if TYPE_CHECKING:
    from ..core.palette import PaletteMap

LARGEST_CANVAS = 16_384
"""Pixels. No side of a canvas may grow beyond it."""


def first_look(sizes: Sequence[Settings]) -> Callable[[str, Pixels], tuple[Picture, ...]]:
    """What is done to each frame as soon as it is decoded, so that large drawings never lie in memory all at once:
    the colour key, the scale if it is known by then, and cutting off what is empty to the last byte.

    `sizes` are the settings of every size of the build, alike but for lengths; each frame becomes a picture for each.
    """
    settings = sizes[0]
    compares = settings.drop_copies or settings.drop_closing

    def see(name: str, pixels: Pixels) -> tuple[Picture, ...]:
        canvas = Size(pixels.shape[1], pixels.shape[0])
        gone = 0
        if settings.color_key:
            from ..core.color_key import keyed

            before = np.count_nonzero(pixels[..., 3])
            pixels = keyed(pixels, settings.color_key)
            gone = int(before - np.count_nonzero(pixels[..., 3]))
        pixels, offset = without_rim(pixels)
        look = fingerprint(pixels, canvas, offset) if compares else b""
        seen = Picture(name, pixels, canvas, offset, keyed=gone, look=look)
        return tuple(_scaled(seen, _scaling(one, 1 if one.fit else one.scale)) for one in sizes)

    return see


def _scaling(settings: Settings, factor: Fraction | int) -> Scaling:
    return Scaling(Fraction(factor), settings.resample == "smooth", settings.align)


def _scaled(picture: Picture, scaling: Scaling) -> Picture:
    """The picture scaled; one that vanishes or grows too large keeps only its new canvas, to be refused by name."""
    if scaling.factor == 1:
        return picture
    canvas = scaled_canvas(picture.canvas, scaling.factor)
    if min(canvas) < 1 or max(canvas) > LARGEST_CANVAS:
        return dataclasses.replace(picture, canvas=canvas, pixels=picture.pixels[:0, :0], offset=Offset(0, 0))
    pixels, offset = scaled(picture.pixels, picture.offset, picture.canvas, scaling)
    return dataclasses.replace(picture, canvas=canvas, pixels=pixels, offset=offset)


def check_key(load: Load) -> None:
    if load.settings.color_key:
        lost = [picture.keyed for picture in load.pictures if picture.keyed]
        load.remarks.append(f"the colour key made {counted(sum(lost), 'pixel')} of {counted(len(lost), 'frame')} empty")
        boxes = load.on_threads(visible_on_canvas)
        load.warn_of_empty([p.name for p, box in zip(load.pictures, boxes, strict=True) if box is None], "--color-key")


def scale_to_fit(load: Load) -> None:
    settings = load.settings
    if settings.fit:
        most = largest(picture.canvas for picture in load.pictures)
        load.factor = min(Fraction(settings.fit.w, most.w), Fraction(settings.fit.h, most.h)) * settings.portion
        scaling = _scaling(settings, load.factor)
        load.pictures = load.on_threads(lambda picture: _scaled(picture, scaling))
    if load.factor == 1:
        return
    _refuse_lost(load)
    percent = f"{float(load.factor * 100):.6g}%"
    canvases = few((measured(canvas) for canvas in dict.fromkeys(picture.canvas for picture in load.pictures)), 3)
    load.remarks.append(f"scaled to {percent}: canvases of {canvases}")
    if settings.resample == "pixel" and not is_whole(load.factor):
        load.warnings.append(
            f"--resample pixel keeps pixels even at whole factors only, and this is {percent}: "
            "some rows and columns are lost, or doubled, and others are not"
        )


def _refuse_lost(load: Load) -> None:
    by = f"scaled by {float(load.factor):.4g}"
    vanished = [quoted(picture.name) for picture in load.pictures if min(picture.canvas) < 1]
    if vanished:
        raise UsageError(f"{by}, nothing is left of {few(vanished)}; choose a larger --scale or --fit")
    grown = [picture for picture in load.pictures if max(picture.canvas) > LARGEST_CANVAS]
    if grown:
        raise FitError(
            f"{by}, {quoted(grown[0].name)} would be {measured(grown[0].canvas)}, and no canvas may be longer than "
            f"{LARGEST_CANVAS} pixels; choose a smaller --scale or --fit"
        )


def recolour(load: Load) -> None:
    settings = load.settings
    if not (settings.hard_alpha or settings.colors or settings.palette):
        return
    from ..core.palette import PaletteMap, derived

    if settings.hard_alpha:
        soft = sum(load.on_threads(_half_covered))
        load.replace_pixels(lambda picture: hard_alpha(picture.pixels, settings.hard_alpha))
        load.remarks.append(f"hard alpha settled {counted(soft, 'half-covered pixel')}")
    if settings.colors:
        colors = derived((picture.pixels for picture in load.pictures), settings.colors)
    elif isinstance(settings.palette, tuple):
        colors = settings.palette
    else:
        return
    mapping = PaletteMap(colors, settings.dither)
    load.pictures = load.on_threads_together(partial(_mapped, mapping))
    load.remarks.append(f"all frames in the {counted(len(mapping.colors), 'colour')} of one palette")
    if moved := mapping.furthest():
        told = joined(f"{m.before.hex} to {m.after.hex} ({m.distance:.3f})" for m in moved)
        load.remarks.append(f"colours that moved furthest, in Oklab: {told}")
    if len(mapping.colors) == 1:
        load.warnings.append("the palette has one colour: every frame becomes a silhouette")


def _half_covered(picture: Picture) -> int:
    alpha = picture.pixels[..., 3]
    return int(np.count_nonzero((alpha > 0) & (alpha < 255)))


def _mapped(mapping: PaletteMap, pictures: Sequence[Picture]) -> list[Picture]:
    pixels = mapping.mapped([(picture.pixels, picture.offset) for picture in pictures])
    return [dataclasses.replace(picture, pixels=new) for picture, new in zip(pictures, pixels, strict=True)]


def fill_under(load: Load) -> None:
    if not load.settings.fill_under:
        return

    def filled(picture: Picture) -> Picture:
        stored, part = picture.stored_box, picture.part
        left, top = max(stored.x, part.x - UNDER_REACH), max(stored.y, part.y - UNDER_REACH)
        right, bottom = min(stored.right, part.right + UNDER_REACH), min(stored.bottom, part.bottom + UNDER_REACH)
        room = Size(right - left, bottom - top)
        pixels = filled_under(on_canvas(picture.pixels, Offset(part.x - left, part.y - top), room))
        return dataclasses.replace(picture, pixels=pixels, offset=Offset(left, top))

    load.pictures = load.on_threads(lambda picture: filled(picture) if picture.pixels.size else picture)
    load.remarks.append("colours carried under the transparent pixels of all frames (--fill-under)")
