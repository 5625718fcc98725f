"""Options of the steps that prepare frames, in a module of their own that does not load NumPy."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal, NamedTuple

from ..color import Color
from ..model.geometry import Point, Size
from ..rounding import plain

WIDEST_OUTLINE = 32
"""Pixels."""


class ColorKey(NamedTuple):
    """The color that becomes transparent (None: the color of the top left corner), and its tolerance in levels of
    255."""

    color: Color | None
    tolerance: int = 0


class Scaling(NamedTuple):
    """Options of scaling. `smooth` filters, else the nearest pixel is taken; `place` is what stays aligned."""

    factor: Fraction
    smooth: bool = True
    place: str = "bottom"


class Outline(NamedTuple):
    """A line's color and width in pixels; `inner`: within the figure; `hard`: without smoothing."""

    color: Color
    width: int = 1
    inner: bool = False
    hard: bool = False

    @property
    def reach(self) -> int:
        """Return how many pixels it adds on each side."""
        return 0 if self.inner else self.width


class PivotOptions(NamedTuple):
    """A pivot's place: a fraction of the canvas, pixels of it, or the figure's feet; from the left or, for a mirrored
    animation, from the right."""

    x: Fraction = Fraction(0)
    y: Fraction = Fraction(0)
    unit: Literal["share", "px", "feet"] = "share"
    from_right: bool = False

    def on(self, canvas: Size) -> Point:
        """The point on a canvas. Feet are found from the art instead."""
        x, y = (self.x, self.y) if self.unit == "px" else (self.x * canvas.w, self.y * canvas.h)
        return Point(plain(canvas.w - x if self.from_right else x), plain(y))

    @property
    def mirrored(self) -> PivotOptions:
        """The same point of the figure once left and right are exchanged."""
        return self if self.unit == "feet" else self._replace(from_right=not self.from_right)


FEET = PivotOptions(unit="feet")
