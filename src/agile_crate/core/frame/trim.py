"""Trimming: the part of each canvas that goes on a sheet."""

from __future__ import annotations

from ..align import PLACES
from ..model.geometry import Box, Offset, Point, Size
from ..model.picture import Picture
from .visible import cut_out, visible_box, within

EMPTY = Box(0, 0, 0, 0)


def visible_on_canvas(picture: Picture, trim_alpha: int = 0) -> Box | None:
    """Return the box of a picture's visible pixels, on its canvas."""
    box = visible_box(picture.pixels, trim_alpha)
    return box.moved(picture.offset) if box else None


def trimmed(picture: Picture, box: Box) -> Picture:
    """Return the picture with only this box of its canvas to be stored; the canvas and the places on it stay. The box
    may reach beyond the canvas, where pixels are empty.

    Pixels are a view of what they were.
    """
    part = picture.part
    left, top = max(box.x, part.x), max(box.y, part.y)
    right, bottom = min(box.right, part.right), min(box.bottom, part.bottom)
    if right <= left or bottom <= top:
        return picture._replace(pixels=picture.pixels[:0, :0], offset=Offset(box.x, box.y), stored=box)
    inside = Box(left - part.x, top - part.y, right - left, bottom - top)
    return picture._replace(pixels=cut_out(picture.pixels, inside), offset=Offset(left, top), stored=box)


def forgotten(picture: Picture) -> Picture:
    """Return the picture with its stored box as its canvas. The pivot stays on the pixel where it was.

    A frame of which nothing is stored keeps a canvas of one pixel.
    """
    box = picture.stored_box
    return picture._replace(
        canvas=Size(max(1, box.w), max(1, box.h)),
        offset=Offset(picture.offset.x - box.x, picture.offset.y - box.y),
        stored=Box(0, 0, box.w, box.h),
        pivot=Point(picture.pivot.x - box.x, picture.pivot.y - box.y),
        source=None if picture.source is None else within(picture.source, box),
    )


def displacement(picture: Picture, place: str) -> tuple[float, float]:
    """Return how far a trimmed picture moves if `place` aligns its stored box instead of its canvas."""
    x, y = PLACES[place]
    box = picture.stored_box
    return (float((picture.canvas.w - box.w) * x - box.x), float((picture.canvas.h - box.h) * y - box.y))
