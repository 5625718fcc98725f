"""Playback of an animation: the order of frames, and the place of each canvas around the fixed pivot."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import NamedTuple

from ..model.crate import Animation, Frame
from ..model.geometry import Offset, Size
from ..rounding import half_up
from .timing import exact_times


class FilmStep(NamedTuple):
    """One step of an animation: its position in the animation's lists, the index of its frame, and how long it is
    shown, in exact milliseconds."""

    position: int
    frame: int
    milliseconds: Fraction


def turn(animation: Animation) -> list[FilmStep]:
    """The steps of one turn, after which it begins again. Back and forth is 1 2 3 4 3 2: both ends once a turn."""
    pairs = zip(animation.frames, exact_times(animation), strict=True)
    steps = [FilmStep(position, *pair) for position, pair in enumerate(pairs)]
    return steps + steps[-2:0:-1] if animation.loop == "back-and-forth" else steps


class Stage(NamedTuple):
    """Room for some frames drawn at one point: `places` are where each canvas's top left lies, `origin` the point."""

    size: Size
    places: tuple[Offset, ...]
    origin: Offset


def stage(frames: Sequence[Frame]) -> Stage:
    """Return the smallest room for the canvases of all frames, with their pivots on one point, rounded to whole
    pixels."""
    corners = [Offset(half_up(-frame.pivot.x), half_up(-frame.pivot.y)) for frame in frames]
    left, top = min(corner.x for corner in corners), min(corner.y for corner in corners)
    right = max(corner.x + frame.canvas.w for corner, frame in zip(corners, frames, strict=True))
    bottom = max(corner.y + frame.canvas.h for corner, frame in zip(corners, frames, strict=True))
    places = tuple(Offset(corner.x - left, corner.y - top) for corner in corners)
    return Stage(Size(right - left, bottom - top), places, Offset(-left, -top))
