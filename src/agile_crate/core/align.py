"""Where a smaller rectangle is put in a larger one: nine places."""

from fractions import Fraction

from .model.geometry import Offset, Point, Size
from .rounding import plain

_START, _HALF, _END = Fraction(0), Fraction(1, 2), Fraction(1)
PLACES: dict[str, tuple[Fraction, Fraction]] = {
    "top-left": (_START, _START),
    "top": (_HALF, _START),
    "top-right": (_END, _START),
    "left": (_START, _HALF),
    "center": (_HALF, _HALF),
    "right": (_END, _HALF),
    "bottom-left": (_START, _END),
    "bottom": (_HALF, _END),
    "bottom-right": (_END, _END),
}
"""Each place with its share of the free space to the left and above: ``bottom`` is (1/2, 1)."""


def offset_in(outer: Size, inner: Size, place: str) -> Offset:
    """The whole-pixel position of `inner` in `outer`. An odd pixel left over goes to the right, or below.

    >>> offset_in(Size(96, 96), Size(63, 40), "bottom")
    Offset(x=16, y=56)
    """
    x, y = PLACES[place]
    return Offset(int((outer.w - inner.w) * x // 1), int((outer.h - inner.h) * y // 1))


def pivot_in(outer: Size, place: str, offset: Offset) -> Point:
    """The point that `place` names on `outer`, in pixels of a rectangle that lies there at `offset`.

    Frames put into one cell by one place share this point of the cell exactly, also where an odd pixel was left
    over: a game that draws each frame by its pivot sees what a game that draws whole cells sees.

    >>> pivot_in(Size(96, 96), "bottom", Offset(16, 56))
    Point(x=32, y=40)
    """
    x, y = PLACES[place]
    return Point(plain(outer.w * x - offset.x), plain(outer.h * y - offset.y))
