"""Test the durations of frames."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.errors import UsageError
from agile_crate.core.model.crate import Animation
from agile_crate.core.model.picture import FrameSequence, SequenceFrame
from agile_crate.core.motion.timing import Hold, beats_of, durations, frame_times, pace, rate_of
from agile_crate.core.rounding import half_up


@given(st.lists(st.fractions(min_value=1, max_value=5000), min_size=1, max_size=50))
def test_durations_add_up_to_the_exact_total(times: list[Fraction]) -> None:
    whole = durations(times)
    assert sum(whole) == half_up(sum(times))
    assert all(abs(a - b) < 1 for a, b in zip(whole, times, strict=True))
    assert min(whole) >= 1


def sequence(*own: Fraction | None, units: int = 1) -> FrameSequence:
    return FrameSequence("swim", tuple(SequenceFrame(f"swim_{i}", i, ms, units) for i, ms in enumerate(own)))


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
    ("times", "asked", "rate", "beats"),
    [
        ([1, 1, 2], 1000, 1000, (1, 1, 2)), ([Fraction(1000, 15)] * 2, 30, 30, (2, 2)),  # on twos
        ([Fraction(100), Fraction(50)], 12, 20, (2, 1)), ([Fraction(70), Fraction(80)], None, None, ()),
        ([Fraction(100), Fraction(150)], 12, None, ()), ([Fraction(1001, 30)], None, Fraction(30000, 1001), (1,)),
        ([1 + Fraction(1, 2**31)], None, None, ()), ([Fraction(1), Fraction(2**31)], None, None, ()),
    ],
)  # fmt: skip
def test_beats_are_those_of_the_rate_that_was_meant(
    times: list[Fraction], asked: int | None, rate: Fraction | None, beats: tuple[int, ...]
) -> None:
    found = rate_of(list(map(Fraction, times)), asked and Fraction(asked))
    assert (found, beats_of(times, found) if found else ()) == (rate, beats)


@pytest.mark.parametrize(
    ("total", "holds", "sentence"),
    [
        (Fraction(100), {1: Hold(milliseconds=Fraction(100))}, "'swim' has 100 ms, and held frames take"),
        (Fraction(3), {}, "duration: 3 ms would show a frame of 'swim' for less than 1 ms; give it at least 4 ms"),
        (Fraction(103), {1: Hold(milliseconds=Fraction(100)), 2: Hold(Fraction(1, 10))}, "duration: 103 ms would show a frame of 'swim' for less than 1 ms; give it at least 121 ms"),
        (None, {3: Hold(Fraction(1, 1000))}, "hold='swim:3' would show that frame for 0.0833333 ms; the least is 1 ms"),
    ],
)  # fmt: skip
def test_times_that_cannot_be(total: Fraction | None, holds: dict[int, Hold], sentence: str) -> None:
    with pytest.raises(UsageError, match=sentence):
        frame_times(PLAIN, None, total, holds)


@given(
    st.lists(st.fractions(min_value=Fraction(1, 50), max_value=100), min_size=1, max_size=8),
    st.one_of(st.none(), st.fractions(min_value=1, max_value=300)),
    st.dictionaries(st.integers(1, 8), st.fractions(min_value=Fraction(1, 1000), max_value=3), max_size=3),
)
def test_no_step_is_ever_shown_for_no_time(
    own: list[Fraction], total: Fraction | None, holds: dict[int, Fraction]
) -> None:
    """Whatever is asked for, it is refused or every whole number of milliseconds is above 0."""
    wanted = {position: Hold(factor) for position, factor in holds.items() if position <= len(own)}
    try:
        times = frame_times(sequence(*own), None, total, wanted)
    except UsageError:
        return
    assert min(durations(times)) >= 1


def test_the_pace_is_the_rate_that_was_meant_or_the_mean() -> None:
    assert pace(Animation("swim", (0, 1), (40, 60))) == (20, False)
    assert pace(Animation("swim", (0, 1, 2), (33, 34, 33), fps=Fraction(30), beats=(1, 1, 1))) == (30, False)
    assert pace(Animation("swim", (0, 1, 2), (33, 34, 66), fps=Fraction(30), beats=(1, 1, 2))) == (30, True)
    assert pace(Animation("swim", (0, 1, 2), (40, 40, 500)), [Fraction(25)]) == (25, True)
    assert pace(Animation("swim", (0, 1, 2), (83, 84, 500))) == (12, True)


def test_holds_are_by_position_and_leave_others_room() -> None:
    four = sequence(*[Fraction(10 * n) for n in (1, 2, 3, 4)])
    assert frame_times(four, None, None, {3: Hold(Fraction(2))}) == (10, 20, 60, 40)
    held = {2: Hold(milliseconds=Fraction(50))}
    assert frame_times(four, None, Fraction(66), held) == (2, 50, 6, 8)
    for total in (50, 49):
        with pytest.raises(UsageError, match="shorten the holds"):
            frame_times(four, None, Fraction(total), held)
