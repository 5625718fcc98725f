from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.align import PLACES, offset_in, pivot_in
from agile_crate.core.errors import UsageError
from agile_crate.core.model.geometry import Offset, Size
from agile_crate.core.model.picture import FrameSequence, Picture
from agile_crate.core.motion.timing import Hold, durations, frame_times
from agile_crate.core.rounding import half_up

sides = st.integers(1, 300)


@given(st.lists(st.fractions(min_value=1, max_value=5000), min_size=1, max_size=50))
def test_durations_add_up_to_the_exact_total(times: list[Fraction]) -> None:
    whole = durations(times)
    assert sum(whole) == half_up(sum(times))
    assert all(abs(a - b) < 1 for a, b in zip(whole, times, strict=True))
    assert min(whole) >= 1


def sequence(*own: Fraction | None, units: int = 1) -> FrameSequence:
    pixels = np.zeros((1, 1, 4), np.uint8)
    pictures = (Picture(f"swim_{i}", pixels, Size(1, 1), milliseconds=ms, units=units) for i, ms in enumerate(own))
    return FrameSequence("swim", tuple(pictures))


PLAIN = sequence(None, None, None, None)
OWN = sequence(Fraction(50), Fraction(100), None)


@pytest.mark.parametrize(
    ("what", "fps", "total", "holds", "expected"),
    [
        (PLAIN, None, None, {}, [83, 84, 83, 83]),
        (PLAIN, Fraction(24000, 1001), None, {}, [42, 41, 42, 42]),
        (sequence(None, None, units=3), Fraction(30), None, {}, [100, 100]),
        (OWN, None, None, {}, [50, 100, 83]),
        (OWN, Fraction(10), None, {}, [100, 100, 100]),
        (PLAIN, Fraction(10), None, {2: Hold(Fraction(2)), 4: Hold(milliseconds=Fraction(30))}, [100, 200, 100, 30]),
        (PLAIN, None, Fraction(1000), {}, [250, 250, 250, 250]),
        (PLAIN, None, Fraction(1000), {1: Hold(milliseconds=Fraction(400))}, [400, 200, 200, 200]),
        (PLAIN, None, Fraction(1000), {1: Hold(Fraction(2))}, [400, 200, 200, 200]),
        (OWN, None, Fraction(700), {}, [150, 300, 250]),
    ],
)
def test_times_of_frames(
    what: FrameSequence, fps: Fraction | None, total: Fraction | None, holds: dict[int, Hold], expected: list[int]
) -> None:
    assert list(durations(frame_times(what, fps, total, holds))) == expected


@pytest.mark.parametrize(
    ("total", "holds", "sentence"),
    [
        (None, {5: Hold()}, "--hold swim:5 is outside 'swim', which has 4 frames"),
        (
            Fraction(100),
            {1: Hold(milliseconds=Fraction(100))},
            "'swim' is to last 100 ms, and frames held take",
        ),
    ],
)
def test_times_that_cannot_be(total: Fraction | None, holds: dict[int, Hold], sentence: str) -> None:
    with pytest.raises(UsageError, match=sentence):
        frame_times(PLAIN, None, total, holds)


@given(sides, sides, sides, sides, st.sampled_from(sorted(PLACES)))
def test_a_smaller_rectangle_stays_inside_and_keeps_the_pivot(
    w: int, h: int, more_w: int, more_h: int, place: str
) -> None:
    outer, inner = Size(w + more_w, h + more_h), Size(w, h)
    offset = offset_in(outer, inner, place)
    assert 0 <= offset.x <= more_w
    assert 0 <= offset.y <= more_h
    pivot = pivot_in(outer, place, offset)
    share_x, share_y = PLACES[place]
    assert (offset.x + pivot.x, offset.y + pivot.y) == (outer.w * share_x, outer.h * share_y)


@pytest.mark.parametrize(
    ("place", "expected"),
    [
        ("top-left", (0, 0)),
        ("top", (2, 0)),
        ("right", (5, 1)),
        ("center", (2, 1)),
        ("bottom", (2, 3)),
        ("bottom-right", (5, 3)),
    ],
)
def test_nine_places(place: str, expected: tuple[int, int]) -> None:
    assert offset_in(Size(10, 8), Size(5, 5), place) == Offset(*expected)
