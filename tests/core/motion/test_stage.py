"""Test playback and the room that it needs."""

from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.model.crate import Animation, Frame
from agile_crate.core.model.geometry import Box, Offset, Point, Size
from agile_crate.core.motion.stage import stage, turn


def posed(pivot: tuple[float, float], canvas: tuple[int, int]) -> Frame:
    return Frame("f", 0, Box(0, 0, 1, 1), Size(*canvas), Offset(0, 0), Point(*pivot))


def test_a_stage_holds_every_canvas_with_its_pivot_on_one_point() -> None:
    one = stage([posed((4, 8), (8, 8))])
    assert (one.size, one.places, one.origin) == (Size(8, 8), (Offset(0, 0),), Offset(4, 8))
    room = stage([posed((4, 8), (8, 8)), posed((1, 2), (20, 3)), posed((4.5, 8.5), (9, 9))])
    assert room.size == Size(23, 9)
    assert room.places == (Offset(0, 0), Offset(3, 6), Offset(0, 0))  # half a pixel goes to the right and down
    assert room.origin == Offset(4, 8)


@given(
    st.lists(st.tuples(st.integers(-9, 20), st.integers(-9, 20), st.integers(1, 20), st.integers(1, 20)), min_size=1)
)
def test_every_canvas_lies_within_the_stage(frames: list[tuple[int, int, int, int]]) -> None:
    made = [posed((x, y), (w, h)) for x, y, w, h in frames]
    room = stage(made)
    whole = Box(0, 0, *room.size)
    for one, place in zip(made, room.places, strict=True):
        assert whole.contains(Box(*place, *one.canvas))
        assert (one.pivot.x + place.x, one.pivot.y + place.y) == room.origin
    assert min(place.x for place in room.places) == min(place.y for place in room.places) == 0


def test_the_steps_of_a_turn() -> None:
    swing = Animation("swing", (5, 6, 7, 8), (10, 20, 30, 40), "back-and-forth")
    assert [tuple(step) for step in turn(swing)[3:]] == [(3, 8, 40), (2, 7, 30), (1, 6, 20)]
    assert [step.frame for step in turn(Animation("a", (3,), (10,), "back-and-forth"))] == [3]
    beats = Animation("a", (1, 2), (17, 33), fps=Fraction(60), beats=(1, 2))
    assert [step.milliseconds for step in turn(beats)] == [Fraction(50, 3), Fraction(100, 3)]
