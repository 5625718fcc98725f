"""How long each frame is shown."""

from fractions import Fraction
from itertools import pairwise

from .rounding import half_up


def durations(count: int, fps: Fraction) -> tuple[int, ...]:
    """Whole milliseconds for each of `count` frames at `fps` frames a second.

    The moments at which frames change are rounded, not the durations, so the error never adds up: the sum is the
    exact total, rounded once. Every duration is at least 1 up to 1000 frames a second.

    >>> durations(3, Fraction(12))
    (83, 84, 83)
    """
    moments = [half_up(Fraction(1000 * index) / fps) for index in range(count + 1)]
    return tuple(after - before for before, after in pairwise(moments))
