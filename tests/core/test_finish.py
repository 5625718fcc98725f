"""What is done to sheets as a whole, how frames stand on a stage, and what files are called."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.arrange.arrangement import SheetPlan
from agile_crate.core.color import Color
from agile_crate.core.crate.file_names import check_pattern, not_held, repeated, sheet_names
from agile_crate.core.errors import UsageError
from agile_crate.core.frame.alpha import flattened, premultiplied, straight
from agile_crate.core.model.crate import Animation, Frame
from agile_crate.core.model.geometry import Box, Cells, Offset, Point, Size
from agile_crate.core.motion.stage import frame_at, stage, turn

EVERY = np.stack(np.meshgrid(np.arange(256), np.arange(256), indexing="ij"), axis=2).astype(np.uint8)
PIXELS = np.concatenate((np.repeat(EVERY[..., :1], 3, axis=2), EVERY[..., 1:]), axis=2)
"""Every value at every alpha."""


def test_premultiplied_is_rounded_to_the_nearest_and_leaves_its_input() -> None:
    before = PIXELS.copy()
    found = premultiplied(PIXELS)
    exact = PIXELS[..., :3].astype(float) * PIXELS[..., 3:] / 255
    assert np.abs(found[..., :3] - exact).max() <= 0.5
    assert np.array_equal(found[..., 3], PIXELS[..., 3])
    assert np.array_equal(PIXELS, before)
    assert not np.shares_memory(found, PIXELS)


def test_straight_brings_back_what_rounding_left() -> None:
    found = straight(premultiplied(PIXELS))
    alpha = PIXELS[..., 3].astype(float)
    off = np.abs(found[..., 0].astype(float) - PIXELS[..., 0])
    assert off[alpha == 255].max() == 0
    assert (off <= 0.5 + 127.5 / np.maximum(alpha, 1)).all() or off[alpha == 0].max() == 255
    assert (off[alpha > 0] <= 0.5 + 127.5 / alpha[alpha > 0]).all()
    assert np.array_equal(premultiplied(found), premultiplied(PIXELS))


def test_flattened_lies_on_the_colour() -> None:
    found = flattened(PIXELS, Color(10, 200, 30))
    share = PIXELS[..., 3:] / 255
    exact = PIXELS[..., :3] * share + np.array([10, 200, 30]) * (1 - share)
    assert np.abs(found[..., :3] - exact).max() <= 0.5 + 1e-9
    assert (found[..., 3] == 255).all()


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


def test_the_timing_rule() -> None:
    swing = Animation("swing", (5, 6, 7, 8), (10, 20, 30, 40), "back-and-forth")
    assert [step.frame for step in turn(swing)] == [5, 6, 7, 8, 7, 6]
    assert [frame_at(swing, at) for at in (0, 9, 10, 29, 30, 60, 99.5, 100, 130, 149, 150)] == [
        5,
        5,
        6,
        6,
        7,
        8,
        8,
        7,
        6,
        6,
        5,
    ]
    dive = Animation("dive", (1, 2), (10, 10), "once", times=2)
    assert [frame_at(dive, at) for at in (0, 19, 20, 39, 40, 1e9)] == [1, 2, 1, 2, 2, 2]
    assert [frame_at(Animation("a", (1, 2), (10, 10), "once"), at) for at in (19, 20, 25)] == [2, 2, 2]
    assert [step.frame for step in turn(Animation("a", (3,), (10,), "back-and-forth"))] == [3]


GRID = SheetPlan(Size(64, 32), Cells(Size(16, 8), 4, 4))
TIGHT = SheetPlan(Size(60, 30), None)


@pytest.mark.parametrize(
    ("pattern", "names"),
    [
        ("", ["otter-1.png", "otter-2.png"]),
        ("{name}_{sheet:03}", ["otter_001.png", "otter_002.png"]),
        ("{name}_{sheet}of{sheets}.png", ["otter_1of2.png", "otter_2of2.png"]),
        ("{cell_width}x{cell_height}_{columns}x{rows}_{frames}f", ["16x8_4x4_16f.png", "16x8_4x4_3f.png"]),
        ("{{{width}-{height}@{scale}}}{sheet}", ["{64-32@50}1.png", "{64-32@50}2.png"]),
    ],
)
def test_sheets_are_named_by_a_pattern(pattern: str, names: list[str]) -> None:
    check_pattern(pattern)
    assert sheet_names("otter", [GRID, GRID], [16, 3], Fraction(1, 2), pattern) == names


def test_names_that_a_pattern_cannot_give() -> None:
    assert sheet_names("otter", [TIGHT], [3], Fraction(1)) == ["otter.png"]
    with pytest.raises(
        UsageError, match=r"^--file-name '\{columns\}': \{columns\} is of cells, and this sheet has none$"
    ):
        sheet_names("otter", [TIGHT], [3], Fraction(1), "{columns}")
    with pytest.raises(UsageError, match="gives 'con', which some platforms keep for devices"):
        sheet_names("con", [TIGHT], [3], Fraction(1), "{name}")


@pytest.mark.parametrize(
    ("name", "why"),
    [
        ("otter.png", ""),
        ("ünïcode ✉.png", ""),
        (".", "and no file can be called that on every platform"),
        ("end.", "and no file can be called that on every platform"),
        (" a", "and no file can be called that on every platform"),
        ("a/b", "and '/' cannot stand in a file name on every platform"),
        ("a\x07b", r"and '\x07' cannot stand in a file name on every platform"),
        ("LPT1.png", "which some platforms keep for devices"),
        ("x" * 256, "which is longer than the 255 bytes that a file name can have"),
        ("ü" * 128, "which is longer than the 255 bytes that a file name can have"),
    ],
)
def test_names_that_no_file_can_have_everywhere(name: str, why: str) -> None:
    assert not_held(name) == why


def test_names_that_no_posix_file_can_have() -> None:
    for name in ("", ".", "..", "a/b", "a\0b"):
        assert not_held(name, everywhere=False) == "and no file can be called that"
    for name in ("aux", "a:b", " end. ", "bell\a", "..."):
        assert not_held(name, everywhere=False) == ""
    assert not_held("x" * 256, everywhere=False) == "which is longer than the 255 bytes that a file name can have"


def test_a_name_that_is_taken_twice() -> None:
    assert repeated(["a.png", "b.png"]) is None
    assert repeated(["a.png", "b.png", "A.PNG"]) == "a.png"
