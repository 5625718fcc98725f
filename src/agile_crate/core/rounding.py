"""The one rounding rule of the program."""

import math
from fractions import Fraction


def half_up(value: Fraction | float) -> int:
    """The nearest whole number; halves go up, also below zero, so that shifting by a whole number changes nothing.

    (Python's own ``round`` sends halves to the even neighbor, which makes equal steps come out unequal.)

    >>> half_up(0.5), half_up(1.5), half_up(-0.5)
    (1, 2, 0)
    """
    if isinstance(value, Fraction):
        return (2 * value.numerator + value.denominator) // (2 * value.denominator)
    return math.floor(value + 0.5)


def plain(value: Fraction) -> float:
    """A whole number where it is one, else a float.

    >>> plain(Fraction(96, 2)), plain(Fraction(1, 2))
    (48, 0.5)
    """
    return value.numerator if value.denominator == 1 else float(value)
