"""Canvas, shift, trim, pivot, outline: whatever is done to a frame, the pixel at the pivot stays at the pivot."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.align import PLACES, offset_in
from agile_crate.core.color import Color
from agile_crate.core.crate.restore import restore
from agile_crate.core.frame.canvas import Sides, beyond, largest, moved_to
from agile_crate.core.frame.options import Outline
from agile_crate.core.frame.outline import outlined
from agile_crate.core.frame.pivot import feet, ground_of, snapped
from agile_crate.core.frame.trim import EMPTY, displacement, forgotten, trimmed, visible_on_canvas
from agile_crate.core.frame.visible import cut_out, on_canvas, union, visible_box
from agile_crate.core.model.crate import Frame
from agile_crate.core.model.geometry import Box, Offset, Point, Size
from agile_crate.core.model.picture import Picture

INK = Color(32, 24, 48)


@st.composite
def frames(draw: st.DrawFn) -> Picture:
    """A picture of a few visible pixels somewhere on its canvas."""
    w, h = draw(st.integers(1, 14)), draw(st.integers(1, 14))
    pixels = np.zeros((h, w, 4), np.uint8)
    spots = st.tuples(st.integers(0, w - 1), st.integers(0, h - 1), st.integers(1, 255))
    for x, y, alpha in draw(st.lists(spots, max_size=9)):
        pixels[y, x] = (x * 9, y * 9, 77, alpha)
    pivot = Point(draw(st.integers(-2, w + 2)), draw(st.integers(-2, h + 2)))
    return Picture("swim_01", pixels, Size(w, h), pivot=pivot)


def shown(picture: Picture) -> np.ndarray:
    """The whole canvas."""
    return on_canvas(picture.pixels, picture.offset, picture.canvas)


def round_the_pivot(picture: Picture) -> dict[tuple[float, float], tuple[int, ...]]:
    """Every visible pixel by where it lies from the pivot: what a game draws."""
    pixels = shown(picture)
    return {
        (float(x - picture.pivot.x), float(y - picture.pivot.y)): tuple(pixels[y, x].tolist())
        for y, x in np.argwhere(pixels[..., 3])
    }


def on_a_sheet(picture: Picture) -> np.ndarray:
    """Stored alone on a sheet, as its description says, and restored from there."""
    stored = picture.stored_box
    sheet = np.zeros((stored.h + 4, stored.w + 3, 4), np.uint8)
    part = picture.part
    y, x = 1 + part.y - stored.y, 2 + part.x - stored.x
    sheet[y : y + part.h, x : x + part.w] = picture.pixels
    box = Box(2, 1, stored.w, stored.h)
    return restore(sheet, Frame("swim_01", 0, box, picture.canvas, Offset(stored.x, stored.y), picture.pivot))


@given(frames(), st.integers(1, 20), st.integers(1, 20), st.sampled_from(sorted(PLACES)))
def test_another_canvas_never_loses_a_visible_pixel(picture: Picture, w: int, h: int, place: str) -> None:
    by = offset_in(Size(w, h), picture.canvas, place)
    lost = beyond(visible_on_canvas(picture), Size(w, h), by)
    if lost is None:
        moved = moved_to(picture, Size(w, h), by)
        assert round_the_pivot(moved) == round_the_pivot(picture)
        assert Box(0, 0, w, h).contains(moved.part)
    else:
        seen = visible_box(picture.pixels).moved(by)
        assert lost == Sides(max(0, -seen.x), max(0, -seen.y), max(0, seen.right - w), max(0, seen.bottom - h))
        assert any(lost)


@given(frames())
def test_trim_then_restore_is_identity(picture: Picture) -> None:
    box = visible_on_canvas(picture)
    small = trimmed(picture, box or Box(0, 0, 0, 0))
    assert round_the_pivot(small) == round_the_pivot(picture)
    assert np.array_equal(on_a_sheet(small), shown(picture))
    assert (small.canvas, small.pivot) == (picture.canvas, picture.pivot)
    if box:
        assert small.stored_box.size == box.size
        for edge in (small.pixels[0], small.pixels[-1], small.pixels[:, 0], small.pixels[:, -1]):
            assert edge[..., 3].any()
    without = forgotten(small)
    assert round_the_pivot(without) == round_the_pivot(picture)
    assert without.canvas == (max(1, small.stored_box.w), max(1, small.stored_box.h))
    assert np.array_equal(on_a_sheet(without), shown(without))


@given(st.lists(frames(), min_size=1, max_size=5))
def test_one_rectangle_for_all(pictures: list[Picture]) -> None:
    common = largest(picture.canvas for picture in pictures)
    pictures = [moved_to(p, common, offset_in(common, p.canvas, "bottom")) for p in pictures]
    boxes = [visible_on_canvas(picture) for picture in pictures]
    together = union(box for box in boxes if box) or EMPTY
    alike = [trimmed(picture, together) for picture in pictures]
    assert len({picture.stored_box for picture in alike}) == 1
    assert alike[0].stored_box == together
    for before, after in zip(pictures, alike, strict=True):
        assert np.array_equal(on_a_sheet(after), shown(before))


def test_an_alpha_floor_says_what_counts_as_empty() -> None:
    pixels = np.zeros((6, 8, 4), np.uint8)
    pixels[1:5, 1:7, 3] = 8
    pixels[2:4, 3:5, 3] = 255
    picture = Picture("a", pixels, Size(8, 6))
    assert visible_on_canvas(picture) == (1, 1, 6, 4)
    assert visible_on_canvas(picture, 7) == (1, 1, 6, 4)
    assert visible_on_canvas(picture, 8) == (3, 2, 2, 2)
    assert visible_on_canvas(picture, 255) is None


def test_how_far_forgotten_frames_move() -> None:
    picture = Picture("a", np.full((4, 6, 4), 255, np.uint8), Size(20, 10), Offset(3, 1), stored=Box(3, 1, 6, 4))
    assert displacement(picture, "bottom") == (4, 5)
    assert displacement(picture, "top-left") == (-3, -1)
    assert forgotten(picture).part == (0, 0, 6, 4)


def test_feet_stand_where_the_lowest_visible_row_of_all_frames_is() -> None:
    lower, higher = np.zeros((10, 12, 4), np.uint8), np.zeros((10, 12, 4), np.uint8)
    lower[7, 2:4, 3] = 255
    lower[9, 11, 3] = 5
    higher[7, 8, 3] = 200
    higher[3, :, 3] = 255
    pictures = [Picture("a", lower[2:], Size(12, 10), Offset(0, 2)), Picture("b", higher, Size(12, 10))]
    assert feet(map(ground_of, pictures)) == (11.5, 10)
    assert feet(ground_of(picture, 5) for picture in pictures) == (5.5, 8)
    assert feet([ground_of(pictures[1])]) == (8.5, 8)
    assert feet(ground_of(picture, 255) for picture in pictures) is None
    assert snapped(Point(5.5, 8)) == (6, 8)
    assert snapped(Point(-0.5, 8.49)) == (0, 8)


def dot(side: int, alpha: int = 255) -> np.ndarray:
    pixels = np.zeros((side, side, 4), np.uint8)
    pixels[side // 2, side // 2] = (250, 240, 230, alpha)
    return pixels


@pytest.mark.parametrize("width", [1, 2, 5])
def test_an_outline_is_round_by_true_distance(width: int) -> None:
    result = outlined(dot(3), Outline(INK, width))
    assert result.shape == (3 + 2 * width, 3 + 2 * width, 4)
    middle = 1 + width
    assert result[middle, middle].tolist() == [250, 240, 230, 255]
    y, x = np.indices(result.shape[:2]) - middle
    expected = np.clip(width + 1 - np.hypot(x, y), 0, 1) * 255
    expected[middle, middle] = 255
    assert np.abs(result[..., 3] - expected).max() <= 1
    line = (result[..., 3] > 0) & ((x != 0) | (y != 0))
    assert (result[line, :3] == INK).all()
    hard = outlined(dot(3), Outline(INK, width, hard=True))
    assert set(np.unique(hard[..., 3])) == {0, 255}
    assert np.array_equal(hard[..., 3] == 255, expected >= 127.5)


def test_an_outline_lies_under_soft_edges_and_inside_over_the_figure() -> None:
    result = outlined(dot(3, 51), Outline(INK, 1))
    assert result[2, 2].tolist() == [round(250 * 0.2 / 0.36 + 32 * 0.16 / 0.36), *result[2, 2, 1:3].tolist(), 92]
    block = np.zeros((7, 7, 4), np.uint8)
    block[1:6, 1:6] = (200, 180, 160, 255)
    before = block.copy()
    inner = outlined(block, Outline(INK, 1, inner=True))
    assert np.array_equal(block, before)
    assert np.array_equal(inner[..., 3], block[..., 3])
    assert (inner[1, 1:6, :3] == INK).all()
    assert (inner[1:6, 5, :3] == INK).all()
    assert (inner[3, 3, :3] == (200, 180, 160)).all()
    assert not inner[0].any()
    touching = outlined(block[1:6, 1:6], Outline(INK, 2, inner=True))  # beyond the canvas is outside
    assert (touching[:2, :, :3] == INK).all()
    assert touching[2, 2, :3].tolist() == [200, 180, 160]


def test_parts_and_boxes() -> None:
    pixels = dot(5)
    assert visible_box(pixels) == (2, 2, 1, 1)
    assert np.shares_memory(cut_out(pixels, Box(1, 1, 3, 3)), pixels)
    assert union([]) is None
    assert union([Box(1, 5, 2, 2), Box(4, 0, 1, 1)]) == (1, 0, 4, 7)
    assert on_canvas(pixels, Offset(0, 0), Size(5, 5)) is pixels
    emptied = moved_to(Picture("a", pixels[:1], Size(5, 5)), Size(2, 2), Offset(-9, 0))
    assert emptied.pixels.size == 0
    assert emptied.part == (0, 0, 0, 0)
