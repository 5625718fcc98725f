"""Layers over each other, and colors exchanged."""

from fractions import Fraction

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as of_numpy

from agile_crate.core.color import Color
from agile_crate.core.frame.layers import has_color, laid_over_each_other, over, recolored
from agile_crate.core.frame.visible import on_canvas
from agile_crate.core.model.geometry import Offset, Size
from agile_crate.core.model.picture import Picture

PIXELS = of_numpy.arrays(np.uint8, (2, 3, 4))


@given(PIXELS, PIXELS)
def test_over_is_exact_to_the_nearest(above: np.ndarray, below: np.ndarray) -> None:
    found = over(above, below)
    for y in range(2):
        for x in range(3):
            a, b = Fraction(int(above[y, x, 3]), 255), Fraction(int(below[y, x, 3]), 255)
            alpha = a + b * (1 - a)
            assert abs(found[y, x, 3] - 255 * alpha) <= Fraction(1, 2)
            for channel in range(3):
                if alpha:
                    mixed = (int(above[y, x, channel]) * a + int(below[y, x, channel]) * b * (1 - a)) / alpha
                    assert abs(found[y, x, channel] - mixed) <= Fraction(1, 2)


@given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 4), PIXELS), min_size=1, max_size=4))
def test_layers_lie_where_they_lie_on_their_canvas(layers: list[tuple[int, int, np.ndarray]]) -> None:
    pictures = [Picture("swim", pixels, Size(8, 7), Offset(x, y)) for x, y, pixels in layers]
    made = laid_over_each_other(pictures)
    ground = np.zeros((7, 8, 4), np.uint8)
    for picture in pictures:
        ground = over(on_canvas(picture.pixels, picture.offset, picture.canvas), ground)
    found = on_canvas(made.pixels, made.offset, made.canvas)
    assert (found[ground[..., 3] > 0] == ground[ground[..., 3] > 0]).all()
    assert (found[..., 3] == ground[..., 3]).all()


def test_nothing_over_nothing() -> None:
    empty = Picture("swim", np.zeros((0, 0, 4), np.uint8), Size(4, 4))
    assert laid_over_each_other([empty, empty]).pixels.shape == (0, 0, 4)


def test_colors_change_places() -> None:
    red, blue = Color(255, 0, 0), Color(0, 0, 255)
    pixels = np.array([[(255, 0, 0, 255), (0, 0, 255, 9), (254, 0, 0, 255), (255, 0, 0, 0)]], np.uint8)
    swapped = recolored(pixels, ((red, blue), (blue, red)))
    assert swapped.tolist() == [[[0, 0, 255, 255], [255, 0, 0, 9], [254, 0, 0, 255], [0, 0, 255, 0]]]
    assert has_color(pixels, blue)
    assert not has_color(pixels[:, 3:], red)  # it is seen nowhere
