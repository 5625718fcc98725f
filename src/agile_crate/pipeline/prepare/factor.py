"""The factor and filter by which frames are scaled."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import NamedTuple

from ...core.align import offset_in
from ...core.errors import InputError, UsageError
from ...core.frame.canvas import largest
from ...core.frame.decode import scaled_picture
from ...core.frame.options import Scaling
from ...core.frame.trim import visible_on_canvas
from ...core.frame.visible import union
from ...core.message import message
from ...core.model.geometry import Box, Size
from ...core.model.picture import Picture
from ...core.png_chunks import PictureError
from ...core.text import quoted
from ...settings.table import Settings
from .step import FrameGroup, Lineup


class Drawing(NamedTuple):
    """A frame before it is fitted: its canvas, and the box of its visible art if that is fitted, found on a canvas
    `fine` times as large."""

    canvas: Size
    seen: Box | None
    fine: int = 1


def fits_art(settings: Settings) -> bool:
    """Return True if the frames' visible art is fitted, not their canvases."""
    return bool(settings.fit) and settings.fit_to == "art"


FINE = 1024
"""Pixels. A drawing in vectors is looked at when its longer side is about as long."""


def made_of_size(picture: Picture, scaling: Scaling) -> Picture:
    """The picture scaled, or drawn again. Raises InputError for a drawing that could be drawn only small."""
    try:
        return scaled_picture(picture, scaling)
    except PictureError as error:
        raise InputError("{} {}", quoted(picture.name), error.message) from None


def drawing_of(picture: Picture, settings: Settings) -> Drawing:
    """Return a frame as it is before it is made to fit."""
    if not fits_art(settings):
        return Drawing(picture.canvas, None)
    fine = max(1, FINE // max(picture.canvas)) if picture.vector else 1
    looked_at = made_of_size(picture, scaling_of(settings, fine))
    return Drawing(picture.canvas, visible_on_canvas(looked_at, settings.trim_alpha), fine)


def art_together(drawing: Drawing, other: Drawing, is_plain: bool) -> Drawing:
    """A frame with its visible art in a skin. One of them may be in vectors, and so examined on a finer canvas. A plain
    skin's pixels do not count as art."""
    if is_plain:
        return drawing
    fine = max(drawing.fine, other.fine)
    seen = union(
        Box(*(side * (fine // fact.fine) for side in fact.seen)) for fact in (drawing, other) if fact.seen is not None
    )
    return drawing._replace(seen=seen, fine=fine)


def scaling_of(settings: Settings, factor: Fraction | int) -> Scaling:
    """Return the scaling by a factor, with the settings' filter."""
    return Scaling(Fraction(factor), settings.resample == "smooth", settings.align)


def factor_of(settings: Settings, drawings: Sequence[Drawing], lineup: Lineup) -> Fraction:
    """The factor by which frames are scaled. Raises UsageError if visible art is to be fitted and none is visible."""
    if not settings.fit:
        return settings.scale
    if not fits_art(settings):
        return _share(settings.fit, largest(drawing.canvas for drawing in drawings)) * settings.portion
    factor = Fraction(1)
    factor = _share(settings.fit, _art(factor, drawings, lineup, settings))
    while (over := _share(settings.fit, _art(factor, drawings, lineup, settings))) < 1:
        factor *= over  # figures' edges fall between pixels: scaled, they may cover one more
    return factor * settings.portion


def _share(room: Size, size: Size) -> Fraction:
    return min(Fraction(room.w, size.w), Fraction(room.h, size.h))


def _art(factor: Fraction, drawings: Sequence[Drawing], lineup: Lineup, settings: Settings) -> Size:
    """Return the largest width and height of visible art at this factor: of a frame, or of all frames that are trimmed
    together."""
    from ...core.frame.scale import scaled_canvas

    sides: list[Size] = []
    for group in _trimmed_together(lineup, settings):
        members = [drawings[index] for index in group.span]
        canvases = [scaled_canvas(drawing.canvas, factor) for drawing in members]
        target = largest(canvases)
        seen = union(
            _scaled(drawing.seen, drawing, factor, settings).moved(offset_in(target, canvas, settings.align))
            for drawing, canvas in zip(members, canvases, strict=True)
            if drawing.seen
        )
        sides += [seen.size] if seen else []
    if not sides:
        raise UsageError(message("{fit_to:art}: nothing is visible in any frame; leave it out"))
    return Size(max(size.w for size in sides), max(size.h for size in sides))


def _scaled(seen: Box, drawing: Drawing, factor: Fraction, settings: Settings) -> Box:
    from ...core.frame.scale import scaled_box

    fine = Size(drawing.canvas.w * drawing.fine, drawing.canvas.h * drawing.fine)
    return scaled_box(seen, fine, scaling_of(settings, factor / drawing.fine))


def _trimmed_together(lineup: Lineup, settings: Settings) -> Sequence[FrameGroup]:
    if settings.trimming == "sheet" or settings.recenters:
        return (FrameGroup(None, range(len(lineup.names))),)
    if settings.trimming == "animation":
        return lineup.together
    return [FrameGroup(None, range(index, index + 1)) for index in range(len(lineup.names))]
