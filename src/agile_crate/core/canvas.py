"""Frames on other canvases, and moved on them: nothing visible is ever lost unsaid."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import NamedTuple

from .model import Box, Offset, Picture, Point, Size
from .visible import cut_out, visible_box


class Beyond(NamedTuple):
    """How many pixels of what is visible lie beyond each side of a canvas."""

    left: int = 0
    top: int = 0
    right: int = 0
    bottom: int = 0


def largest(sizes: Iterable[Size]) -> Size:
    """The smallest canvas that holds each of these."""
    sizes = list(sizes)
    return Size(max(size.w for size in sizes), max(size.h for size in sizes))


def brought(picture: Picture, canvas: Size, by: Offset) -> tuple[Picture, Beyond | None]:
    """The picture on another canvas, its old top left at `by`, and what of it would be cut off, if anything visible.

    Pixels are shared; only what lies off the new canvas is left out. The pivot goes along.
    """
    part, whole = picture.part.moved(by), Box(0, 0, *canvas)
    pivot = Point(picture.pivot.x + by.x, picture.pivot.y + by.y)
    moved = replace(picture, canvas=canvas, offset=Offset(part.x, part.y), pivot=pivot)
    if whole.contains(part):
        return moved, None
    seen = visible_box(picture.pixels)
    if seen is None:
        return replace(moved, pixels=picture.pixels[:0, :0], offset=Offset(0, 0)), None
    inside = seen.moved(moved.offset)
    if not whole.contains(inside):
        left, top = max(0, -inside.x), max(0, -inside.y)
        return moved, Beyond(left, top, max(0, inside.right - canvas.w), max(0, inside.bottom - canvas.h))
    return replace(moved, pixels=cut_out(picture.pixels, seen), offset=Offset(inside.x, inside.y)), None
