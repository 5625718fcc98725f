"""The point of a canvas that stays put in the game."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from .model import Picture, Point
from .rounding import half_up, plain


def feet(pictures: Sequence[Picture], alpha_floor: int = 0) -> Point | None:
    """The middle of the ground contact over an animation whose frames share a canvas; None if nothing is visible.

    Of the lowest row in which any frame shows something: the middle between its leftmost and rightmost such pixel,
    on the row's lower edge.
    """
    ground: tuple[int, list[int]] = (-1, [])
    for picture in pictures:
        shows = picture.pixels[..., 3] > alpha_floor
        rows = np.flatnonzero(shows.any(axis=1))
        if len(rows) == 0:
            continue
        lowest = int(rows[-1])
        columns = np.flatnonzero(shows[lowest]) + picture.offset.x
        y = picture.offset.y + lowest
        ends = [int(columns[0]), int(columns[-1]) + 1]
        if y > ground[0]:
            ground = (y, ends)
        elif y == ground[0]:
            ground[1].extend(ends)
    if not ground[1]:
        return None
    return Point(plain(Fraction(min(ground[1]) + max(ground[1]), 2)), ground[0] + 1)


def snapped(point: Point) -> Point:
    """The point on whole pixels, halves up."""
    return Point(half_up(point.x), half_up(point.y))
