"""Test paint on a finished sheet: on a frame, outside all frames, and over another build."""

import numpy as np

from agile_crate.core.crate.draw import Placed, draw_sheet
from agile_crate.core.crate.edits import crc_of, edits_on, laid_over, stray_paint
from agile_crate.core.model.crate import Crate, Frame
from agile_crate.core.model.geometry import ORIGIN, Box, Mirror, Offset, Point, Size
from agile_crate.core.model.picture import Picture
from agile_crate.core.model.sheet import Sheet
from conftest import art

SIZE = Size(20, 12)
BOXES = (Box(3, 3, 5, 4), Box(12, 2, 4, 5))
"""On each of two sheets a frame that lies as it was drawn, and one that is turned and mirrored."""

CANVAS, DRAWN = Size(9, 8), [art(5, 4, seed) | np.array([0, 0, 0, 255], np.uint8) for seed in range(4)]


def on_sheet(number: int) -> Frame:
    mirror: Mirror = "x" if number % 2 else ""
    seen = DRAWN[number][:, ::-1] if mirror else DRAWN[number]
    box, turned = BOXES[number % 2], bool(number % 2)
    return Frame(
        f"swim_{number}", number // 2, box, CANVAS, Offset(1, 2), Point(0, 0), turned, mirror, crc=crc_of(seen)
    )


CRATE = Crate("otter", tuple(Sheet(f"o-{n}.png", SIZE, None, edge_repeat=1) for n in (1, 2)), tuple(map(on_sheet, range(4))), ())  # fmt: skip
SHEETS = [draw_sheet(SIZE, [Placed(DRAWN[2 * n + i], ORIGIN, BOXES[i], bool(i)) for i in (0, 1)], 1) for n in (0, 1)]


def test_a_touch_is_on_its_frame_and_what_lies_outside_of_all_is_counted() -> None:
    for number, sheet in enumerate(SHEETS):
        assert list(edits_on(CRATE, number, sheet)) == []
        assert stray_paint(CRATE, number, sheet) == (0, 0)
    painted = SHEETS[1].copy()
    painted[4, 13] = painted[10, 1] = painted[0, 19] = (1, 2, 3, 255)
    painted[2, 3] = painted[0, 8] = (9, 9, 9, 255)  # a repeated edge is of a frame, and the pixel beyond it is not
    (touch,) = edits_on(CRATE, 1, painted)
    assert (touch.frame.name, stray_paint(CRATE, 1, painted).pixels) == ("swim_3", 3)
    assert touch.seen.shape == (8, 9, 4)


def test_a_touch_is_laid_over_the_picture_that_it_was_painted_on_and_over_no_other() -> None:
    painted = SHEETS[1].copy()
    painted[4, 13] = (1, 2, 3, 255)
    (touch,) = edits_on(CRATE, 1, painted)
    seen = DRAWN[3][:, ::-1]  # mirrored, it lies at 3,2 of its canvas
    picture = Picture("swim_3", seen, CANVAS, Offset(3, 2))
    made = laid_over(picture, touch, 0)
    assert made is not None
    whole = np.zeros((8, 9, 4), np.uint8)
    whole[2:6, 3:8] = seen
    assert np.array_equal(made.source, whole)
    changed = np.argwhere((made.pixels != whole).any(axis=2))
    assert changed.tolist() == [[4, 5]]
    assert made.pixels[4, 5].tolist() == [1, 2, 3, 255]
    assert laid_over(picture._replace(pixels=DRAWN[2]), touch, 0) is None
    assert laid_over(picture._replace(canvas=Size(9, 9)), touch, 0) is None
    assert laid_over(picture._replace(offset=Offset(2, 2)), touch, 0) is None
