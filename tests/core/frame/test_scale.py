"""Scaling: nothing moves, nothing is lost, no color bleeds."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.frame.options import Scaling
from agile_crate.core.frame.scale import is_whole, scaled, scaled_canvas
from agile_crate.core.frame.visible import on_canvas, without_rim
from agile_crate.core.model.geometry import Offset, Size
from conftest import art

FACTORS = [Fraction(text) for text in ("1/2", "1/4", "1/3", "0.3", "0.7", "0.95", "2", "3", "1.5", "1.37")]
factors = st.sampled_from(FACTORS)
places = st.sampled_from(["bottom", "center", "top-left", "right"])
sides = st.integers(8, 40)


def whole(pixels: np.ndarray, factor: Fraction, place: str = "bottom", smooth: bool = True) -> np.ndarray:
    canvas = Size(pixels.shape[1], pixels.shape[0])
    part, offset = scaled(pixels, Offset(0, 0), canvas, Scaling(factor, smooth, place))
    return on_canvas(part, offset, scaled_canvas(canvas, factor))


def blob(w: int, h: int, seed: int, color: tuple[int, int, int]) -> np.ndarray:
    """A shape of one color with a soft edge that leaves the rim free."""
    chance = np.random.default_rng(seed)
    pixels = np.zeros((h, w, 4), np.uint8)
    inside = pixels[3:-3, 3:-3]
    inside[..., 3] = chance.choice([0, 0, 40, 128, 255, 255], inside.shape[:2])
    pixels[pixels[..., 3] > 0, :3] = color
    return pixels


@given(sides, sides, st.integers(0, 9), st.tuples(*[st.integers(0, 255)] * 3), factors, places)
def test_a_shape_of_one_color_keeps_it_and_its_sum_of_alpha(
    w: int, h: int, seed: int, color: tuple[int, int, int], factor: Fraction, place: str
) -> None:
    pixels = blob(w, h, seed, color)
    before = pixels.copy()
    result = whole(pixels, factor, place)
    assert np.array_equal(pixels, before)
    seen = result[..., 3] > 0
    assert (result[seen, :3] == color).all()
    assert not result[~seen].any()
    sums = [picture[..., 3].astype(float).sum() for picture in (pixels, result)]
    grid = scaled_canvas(Size(w, h), factor)
    if (grid.w / factor, grid.h / factor) == (w, h):  # no line was rounded away or shared
        assert abs(sums[1] - sums[0] * float(factor) ** 2) <= 0.5 * seen.size


@given(sides, sides, st.integers(1, 5), factors, places, st.booleans())
def test_what_stands_still_comes_out_with_the_same_bytes(
    w: int, h: int, seed: int, factor: Fraction, place: str, smooth: bool
) -> None:
    """One frame shows the detail alone, cut down to it; the other has much else far away from it."""
    detail = np.zeros((h + 60, w + 60, 4), np.uint8)
    detail[10 : 10 + h, 8 : 8 + w] = art(w, h, seed)
    busy = detail.copy()
    busy[h + 30 :, 5:] = art(w + 55, 30, seed + 1)
    canvas = Size(w + 60, h + 60)
    left, top, right, bottom = 8, 10, 8 + w, 10 + h
    part, offset = scaled(detail[top:bottom, left:right], Offset(left, top), canvas, Scaling(factor, smooth, place))
    whole_busy, _ = scaled(busy, Offset(0, 0), canvas, Scaling(factor, smooth, place))
    last = int((h + 27) * factor)
    alone = on_canvas(part, offset, scaled_canvas(canvas, factor))
    assert np.array_equal(alone[:last], whole_busy[:last])


@pytest.mark.parametrize("factor", FACTORS)
def test_drawings_of_other_heights_stay_on_one_ground(factor: Fraction) -> None:
    low, high = art(20, 41, 3), np.zeros((60, 20, 4), np.uint8)
    high[-41:] = low
    rows = scaled_canvas(Size(20, 30), factor).h
    if factor.numerator == 1:
        assert np.array_equal(whole(low, factor)[-rows:], whole(high, factor)[-rows:])
    else:  # the lines' phases differ by less than a pixel; the ground is the same line
        assert whole(low, factor)[-1].any()
        assert whole(high, factor)[-1].any()


@given(st.integers(12, 60), st.integers(12, 60), factors, places)
def test_the_pivot_stays_within_half_a_pixel(w: int, h: int, factor: Fraction, place: str) -> None:
    """A dot's center of mass against the point that the canvas's own scaling says, told from the aligned point."""
    from agile_crate.core.align import PLACES

    x, y = w // 2, h // 2
    pixels = np.zeros((h, w, 4), np.uint8)
    pixels[y - 1 : y + 1, x - 1 : x + 1] = 255
    result = whole(pixels, factor, place)
    mass = result[..., 3].astype(float)
    rows, columns = np.indices(mass.shape) + 0.5
    found = (columns * mass).sum() / mass.sum(), (rows * mass).sum() / mass.sum()
    for middle, at, side, new, share in zip(found, (x, y), (w, h), result.shape[1::-1], PLACES[place], strict=True):
        expected = float(share * new + (at - share * side) * factor)
        assert abs(middle - expected) <= 0.5 * max(1, float(factor)) + 0.02


def test_halves_of_a_hard_edge() -> None:
    pixels = np.zeros((2, 4, 4), np.uint8)
    pixels[:, :1] = (200, 100, 50, 255)
    assert whole(pixels, Fraction(1, 2)).tolist() == [[[200, 100, 50, 128], [0, 0, 0, 0]]]
    assert whole(np.full((97, 31, 4), 255, np.uint8), Fraction(1, 2)).min() == 255  # opaque to the last, odd line
    assert whole(np.full((5, 5, 4), 255, np.uint8), Fraction(3)).min() == 255


def test_nearest_pixels() -> None:
    pixels = art(9, 7, 4)
    doubled = whole(pixels, Fraction(2), smooth=False)
    assert np.array_equal(doubled, pixels.repeat(2, axis=0).repeat(2, axis=1))
    assert np.array_equal(whole(doubled, Fraction(1, 2), smooth=False), pixels)
    assert [is_whole(factor) for factor in FACTORS] == [True, True, True, False, False, False, True, True, False, False]
    nothing, offset = scaled(pixels[:1, :1], Offset(5, 3), Size(9, 7), Scaling(Fraction(1, 3), False))
    assert nothing.size == 0  # the one pixel lies between those that are taken
    assert 0 <= offset.x < 3
    assert 0 <= offset.y < 2


def test_canvases_are_rounded_halves_up() -> None:
    assert scaled_canvas(Size(97, 96), Fraction(1, 2)) == (49, 48)
    assert scaled_canvas(Size(101, 1), Fraction(1, 4)) == (25, 0)


def test_the_empty_rim_of_a_large_picture_is_left_out_to_the_last_byte() -> None:
    pixels = np.zeros((200, 300, 4), np.uint8)
    pixels[50:60, 70:90] = art(20, 10)
    pixels[40, 100] = (1, 0, 0, 0)  # a color that nobody sees is still there
    part, offset = without_rim(pixels)
    assert (offset, part.shape) == ((70, 40), (20, 31, 4))
    assert not np.shares_memory(part, pixels)
    assert np.array_equal(on_canvas(part, offset, Size(300, 200)), pixels)
    assert without_rim(np.zeros((200, 300, 4), np.uint8))[0].shape == (1, 1, 4)
    small = art(8, 8)
    assert without_rim(small)[0] is small
