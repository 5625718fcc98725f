"""Nine places of a smaller rectangle in a larger one."""

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


def offset_in(outer: Size, inner: Size, place: str, flipped: bool = False, unit: int = 1) -> Offset:
    """Return the position of `inner` in `outer`, a multiple of `unit`. An odd pixel goes to the right, or below.

    Of a `flipped` frame it is the mirror image of that position, so that a mirrored animation stays one.

    >>> offset_in(Size(96, 96), Size(63, 40), "bottom")
    Offset(x=16, y=56)
    >>> offset_in(Size(96, 96), Size(63, 40), "bottom", flipped=True)
    Offset(x=17, y=56)
    """
    x, y = PLACES[place]
    left, top = int((outer.w - inner.w) * x // unit) * unit, int((outer.h - inner.h) * y // unit) * unit
    return Offset(outer.w - inner.w - left if flipped else left, top)


def default_pivot(outer: Size, inner: Size, place: str, flipped: bool = False) -> Point:
    """The point that `place` names on `outer`, in pixels of `inner`, which lies where `offset_in` puts it.

    Frames put into one cell by one place share this point of the cell exactly, also where an odd pixel was left
    over: a game that draws each frame by its pivot sees what a game that draws whole cells sees. Of a `flipped` frame
    it is the mirror image of that point.

    >>> default_pivot(Size(96, 96), Size(63, 40), "bottom")
    Point(x=32, y=40)
    """
    (x, y), offset = PLACES[place], offset_in(outer, inner, place)
    left = outer.w * x - offset.x
    return Point(plain(inner.w - left if flipped else left), plain(outer.h * y - offset.y))
