"""Options of the steps that prepare frames, in a module of their own that does not load NumPy."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal, NamedTuple

from ..color import Color
from ..model.geometry import Box, Point
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
    """A pivot's place: a share of an area, pixels of it, or the figure's feet; counted from the area's left and top, or
    from its right (as for a mirrored animation) and bottom. The area is the canvas, or the frame's visible art."""

    x: Fraction = Fraction(0)
    y: Fraction = Fraction(0)
    unit: Literal["share", "px", "feet"] = "share"
    from_right: bool = False
    from_bottom: bool = False
    of_art: bool = False

    def on(self, area: Box) -> Point:
        """The point of an area. Feet are found from the art instead."""
        x, y = (self.x, self.y) if self.unit == "px" else (self.x * area.w, self.y * area.h)
        return Point(
            plain(area.right - x if self.from_right else area.x + x),
            plain(area.bottom - y if self.from_bottom else area.y + y),
        )

    @property
    def mirrored(self) -> PivotOptions:
        """The same point of the figure once left and right are exchanged."""
        return self if self.unit == "feet" else self._replace(from_right=not self.from_right)


FEET = PivotOptions(unit="feet")
