"""Test the place of a smaller rectangle in a larger one."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.align import PLACES, default_pivot, offset_in
from agile_crate.core.model.geometry import Offset, Size

sides = st.integers(1, 300)


@given(sides, sides, sides, sides, st.sampled_from(sorted(PLACES)))
def test_a_smaller_rectangle_stays_inside_and_keeps_the_pivot(
    w: int, h: int, more_w: int, more_h: int, place: str
) -> None:
    outer, inner = Size(w + more_w, h + more_h), Size(w, h)
    offset = offset_in(outer, inner, place)
    assert 0 <= offset.x <= more_w
    assert 0 <= offset.y <= more_h
    pivot = default_pivot(outer, inner, place)
    share_x, share_y = PLACES[place]
    assert (offset.x + pivot.x, offset.y + pivot.y) == (outer.w * share_x, outer.h * share_y)


@pytest.mark.parametrize(
    ("place", "expected"),
    [
        ("top-left", (0, 0)), ("top", (2, 0)), ("right", (5, 1)), ("center", (2, 1)), ("bottom", (2, 3)), ("bottom-right", (5, 3)),
    ],
)  # fmt: skip
def test_nine_places(place: str, expected: tuple[int, int]) -> None:
    assert offset_in(Size(10, 8), Size(5, 5), place) == Offset(*expected)
