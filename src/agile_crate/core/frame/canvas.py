"""Move frames to other canvases, and on them; visible pixels are never cropped silently."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from ..model.geometry import ORIGIN, Box, Offset, Point, Size
from ..model.picture import Picture
from .visible import cut_out, visible_box


class Sides(NamedTuple):
    """Pixels on each side of a canvas."""

    left: int = 0
    top: int = 0
    right: int = 0
    bottom: int = 0


def largest(sizes: Iterable[Size]) -> Size:
    """The smallest canvas that holds each of these."""
    sizes = list(sizes)
    return Size(max(size.w for size in sizes), max(size.h for size in sizes))


def beyond(seen: Box | None, canvas: Size, by: Offset = ORIGIN) -> Sides | None:
    """Return how far the box `seen` reaches beyond a canvas after a move, or None."""
    if seen is None:
        return None
    inside = seen.moved(by)
    if Box(0, 0, *canvas).contains(inside):
        return None
    left, top = max(0, -inside.x), max(0, -inside.y)
    return Sides(left, top, max(0, inside.right - canvas.w), max(0, inside.bottom - canvas.h))


def moved_to(picture: Picture, canvas: Size, by: Offset) -> Picture:
    """The picture on another canvas, its old top left at `by`; the pivot goes along.

    Pixels are shared; pixels off the new canvas are dropped, so none of them may be visible (see `beyond`).
    """
    part, whole = picture.part.moved(by), Box(0, 0, *canvas)
    if canvas == picture.canvas and by == ORIGIN and whole.contains(part):
        return picture
    pivot = Point(picture.pivot.x + by.x, picture.pivot.y + by.y)
    moved = picture._replace(canvas=canvas, offset=Offset(part.x, part.y), pivot=pivot)
    if whole.contains(part):
        return moved
    seen = visible_box(picture.pixels)
    if seen is None:
        return moved._replace(pixels=picture.pixels[:0, :0], offset=ORIGIN)
    inside = seen.moved(moved.offset)
    return moved._replace(pixels=cut_out(picture.pixels, seen), offset=Offset(inside.x, inside.y))


def growth_for(seen: Iterable[tuple[Box | None, Size]], reach: int) -> Sides:
    """Return the growth of all canvases that gives `reach` pixels around the visible art room on each of
    them."""
    rims = [(box.x, box.y, canvas.w - box.right, canvas.h - box.bottom) for box, canvas in seen if box]
    return Sides(*(max((max(0, reach - rim[side]) for rim in rims), default=0) for side in range(4)))


def grown_canvas(canvas: Size, growth: Sides) -> Size:
    """Return a canvas that is larger by `growth`."""
    return Size(canvas.w + growth.left + growth.right, canvas.h + growth.top + growth.bottom)


def grown(picture: Picture, growth: Sides) -> Picture:
    """The picture on its grown canvas, every pixel where it was."""
    if not any(growth):
        return picture
    return moved_to(picture, grown_canvas(picture.canvas, growth), Offset(growth.left, growth.top))
