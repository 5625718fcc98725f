from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from agile_crate.core.crate.compare import difference
from agile_crate.core.crate.draw import Placed, draw_rows, draw_sheet
from agile_crate.core.crate.restore import restore, stored_pixels
from agile_crate.core.model.crate import Frame
from agile_crate.core.model.geometry import Box, Mirror, Offset, Point, Size
from conftest import art

pictures = st.tuples(st.integers(1, 9), st.integers(1, 9)).flatmap(lambda s: arrays(np.uint8, (*s, 4)))


def frame(box: Box, canvas: Size, offset: tuple[int, int] = (0, 0), turned: bool = False, mirror: Mirror = "") -> Frame:
    return Frame("f", 0, box, canvas, Offset(*offset), Point(0, 0), turned, mirror)


@given(st.lists(pictures, min_size=1, max_size=4))
def test_what_is_drawn_comes_back_and_the_rest_is_empty(drawn: list[np.ndarray]) -> None:
    boxes = [Box(10 * i + 1, 2, p.shape[1], p.shape[0]) for i, p in enumerate(drawn)]
    before = [p.copy() for p in drawn]
    placed = [Placed(pixels, Offset(0, 0), box) for pixels, box in zip(drawn, boxes, strict=True)]
    sheet = draw_sheet(Size(45, 12), placed)
    for pixels, untouched, box in zip(drawn, before, boxes, strict=True):
        assert np.array_equal(restore(sheet, frame(box, box.size)), pixels)
        assert np.array_equal(pixels, untouched)
        sheet[box.y : box.bottom, box.x : box.right] = 0
    assert not sheet.any()


@given(pictures, st.booleans(), st.sampled_from(["", "x", "y", "xy"]))
def test_turned_mirrored_and_trimmed_frames_come_back(pixels: np.ndarray, turned: bool, mirror: Mirror) -> None:
    h, w = pixels.shape[:2]
    canvas = np.zeros((h + 5, w + 3, 4), np.uint8)
    canvas[2 : 2 + h, 1 : 1 + w] = pixels
    box = Box(3, 4, h, w) if turned else Box(3, 4, w, h)
    sheet = draw_sheet(Size(20, 20), [Placed(pixels, Offset(0, 0), box, turned)])
    stored = np.rot90(pixels, -1) if turned else pixels  # 90° clockwise
    assert np.array_equal(sheet[4 : 4 + box.h, 3 : 3 + box.w], stored)
    expected = canvas[:: -1 if "y" in mirror else 1, :: -1 if "x" in mirror else 1]
    described = frame(box, Size(w + 3, h + 5), (1, 2), turned, mirror)
    assert described.upright == (w, h)
    assert np.array_equal(restore(sheet, described), expected)


def test_edges_are_repeated_with_their_corners() -> None:
    pixels = art(5, 4)
    sheet = draw_sheet(Size(11, 10), [Placed(pixels, Offset(0, 0), Box(3, 3, 5, 4))], edge_repeat=2)
    assert np.array_equal(sheet[1:9, 1:10], np.pad(pixels, ((2, 2), (2, 2), (0, 0)), mode="edge"))
    sheet[1:9, 1:10] = 0
    assert not sheet.any()
    inside = draw_sheet(Size(9, 9), [Placed(pixels[:1, :1], Offset(1, 2), Box(2, 2, 4, 4))], edge_repeat=1)
    assert np.count_nonzero(inside.any(axis=2)) <= 1  # the box's rim is empty, and so is what is repeated


@given(
    st.lists(st.tuples(pictures, st.booleans()), min_size=1, max_size=4), st.integers(0, 2), st.sets(st.integers(1, 59))
)
def test_bands_are_parts_of_the_sheet(drawn: list[tuple[np.ndarray, bool]], edge_repeat: int, cuts: set[int]) -> None:
    placed = []
    for index, (pixels, turned) in enumerate(drawn):
        h, w = pixels.shape[:2]
        box = Box(3 + 2 * index, 3 + 14 * index, *((h + 2, w) if turned else (w, h + 2)))  # higher than its pixels
        placed.append(Placed(pixels, Offset(0, 1), box, turned))
    sheet = draw_sheet(Size(25, 60), placed, edge_repeat)
    edges = [0, *sorted(cuts), 60]
    bands = [draw_rows(25, range(a, b), placed, edge_repeat) for a, b in pairwise(edges)]
    assert np.array_equal(np.concatenate(bands), sheet)


def test_stored_pixels_are_a_view_and_restored_ones_are_not() -> None:
    sheet = draw_sheet(Size(8, 6), [Placed(art(8, 6), Offset(0, 0), Box(0, 0, 8, 6))])
    described = frame(Box(0, 0, 4, 4), Size(4, 4))
    assert np.shares_memory(stored_pixels(sheet, described), sheet)
    assert not np.shares_memory(restore(sheet, described), sheet)


def test_an_empty_frame_comes_back_empty() -> None:
    assert not restore(np.full((4, 4, 4), 9, np.uint8), frame(Box(0, 0, 0, 0), Size(3, 2))).any()


def test_the_first_difference_in_reading_order() -> None:
    expected, found = art(8, 6, 2), art(8, 6, 2)
    found[4, 1] = (1, 2, 3, 4)
    found[2, 5] = (9, 9, 9, 255)
    said = difference(expected, found)
    assert said is not None
    assert (said.pixels, said.x, said.y) == (2, 5, 2)
    assert (said.expected, said.found) == (tuple(expected[2, 5]), (9, 9, 9, 255))


@pytest.mark.parametrize(("alpha", "same"), [(0, True), (1, False)])
def test_color_that_cannot_be_seen_does_not_count(alpha: int, same: bool) -> None:
    a, b = np.zeros((2, 2, 4), np.uint8), np.zeros((2, 2, 4), np.uint8)
    a[..., 3] = b[..., 3] = alpha
    b[0, 1, :3] = 77
    assert (difference(a, b) is None) is same


@given(
    st.integers(-6, 9), st.integers(-6, 9), st.integers(1, 7), st.integers(1, 7), st.booleans(), st.sampled_from(["",
    "x", "y", "xy"]),
)  # fmt: skip
def test_what_reaches_beyond_the_canvas_is_left_out(
    x: int, y: int, w: int, h: int, turned: bool, mirror: Mirror
) -> None:
    """Beside a plain way: put down on a canvas with room all round, then cut down to the canvas itself."""
    stored = art(h, w, 3) if turned else art(w, h, 3)
    sheet = np.zeros((20, 20, 4), np.uint8)
    sheet[2 : 2 + stored.shape[0], 3 : 3 + stored.shape[1]] = stored
    box = Box(3, 2, stored.shape[1], stored.shape[0])
    frame = Frame("a", 0, box, Size(8, 7), Offset(x, y), Point(0, 0), turned, mirror)
    roomy = np.zeros((7 + 40, 8 + 40, 4), np.uint8)
    upright = np.rot90(stored) if turned else stored
    roomy[20 + y : 20 + y + upright.shape[0], 20 + x : 20 + x + upright.shape[1]] = upright
    expected = roomy[20:27, 20:28]
    expected = expected[:, ::-1] if "x" in mirror else expected
    expected = expected[::-1] if "y" in mirror else expected
    assert np.array_equal(restore(sheet, frame), expected)
