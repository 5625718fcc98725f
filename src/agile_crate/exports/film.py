"""An animation as one animated PNG (W3C PNG Specification, third edition, clause 4.9), by Pillow."""

from __future__ import annotations

import io
from collections.abc import Sequence
from fractions import Fraction

from PIL import Image

from ..core.pixels import Pixels
from ..core.rounding import half_up


def _held(milliseconds: int) -> int:
    """Return the nearest possible time of a frame: a fraction of two numbers below 2¹⁶ (PNG, third edition,
    11.3.6.3)."""
    rounded = (half_up(Fraction(milliseconds, unit)) * unit for unit in (1, 10, 100, 1000))
    return next(time for time in rounded if Fraction(time, 1000).numerator < 1 << 16)


def encode_film(pictures: Sequence[Pixels], milliseconds: Sequence[int], showings: int) -> bytes:
    """The file's bytes, of pictures of one shape (h, w, 4), straight alpha, each shown so long.

    `showings` is how many times it is played, 0 for ever. Every pixel is kept, and every time of up to 65 s; longer
    ones are rounded to the finest of 0.01, 0.1 and 1 s that the format holds. Equal neighbors are stored as one
    picture that is shown as long as both.
    """
    first, *rest = [Image.fromarray(picture) for picture in pictures]
    stream = io.BytesIO()
    first.save(
        stream,
        "PNG",
        save_all=True,
        append_images=rest,
        duration=[_held(time) for time in milliseconds],
        loop=showings,
        disposal=0,
        blend=0,
    )
    return stream.getvalue()
