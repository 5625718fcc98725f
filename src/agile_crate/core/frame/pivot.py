"""The point of a canvas that stays fixed in the game."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from typing import NamedTuple

import numpy as np

from ..model.geometry import Point
from ..model.picture import Picture
from ..rounding import half_up, plain


class GroundContact(NamedTuple):
    """The lowest row in which a picture shows something: its y on the canvas, and between which edges it does."""

    y: int
    left: int
    right: int


def ground_of(picture: Picture, trim_alpha: int = 0) -> GroundContact | None:
    """Return where a picture meets the ground; None if nothing is visible."""
    shows = picture.pixels[..., 3] > trim_alpha
    rows = np.flatnonzero(shows.any(axis=1))
    if len(rows) == 0:
        return None
    lowest = int(rows[-1])
    columns = np.flatnonzero(shows[lowest])
    x, y = picture.offset
    return GroundContact(y + lowest, x + int(columns[0]), x + int(columns[-1]) + 1)


def feet(grounds: Iterable[GroundContact | None]) -> Point | None:
    """The middle of the ground contact over an animation whose frames share a canvas; None if nothing is visible.

    Of the lowest row in which any frame shows something: the middle between its leftmost and rightmost such pixel,
    on the row's lower edge.
    """
    seen = [ground for ground in grounds if ground]
    if not seen:
        return None
    lowest = max(ground.y for ground in seen)
    lowest_ones = [ground for ground in seen if ground.y == lowest]
    left, right = min(ground.left for ground in lowest_ones), max(ground.right for ground in lowest_ones)
    return Point(plain(Fraction(left + right, 2)), lowest + 1)


def snapped(point: Point, mirrored_on: int | None = None) -> Point:
    """The point on whole pixels, halves up; on a mirrored canvas, whose width is `mirrored_on`, x halves down."""
    x = half_up(point.x) if mirrored_on is None else mirrored_on - half_up(mirrored_on - point.x)
    return Point(x, half_up(point.y))
