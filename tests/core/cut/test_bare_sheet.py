"""Bare sheets, cut by cells and by islands."""

import numpy as np
import pytest

from agile_crate.core.cut.bare_sheet import cells_of, cut_cells, cut_islands
from agile_crate.core.errors import UsageError
from agile_crate.core.limits import USUAL
from agile_crate.core.model.geometry import Cells, Size
from conftest import art


def test_cells_by_size_and_by_number() -> None:
    assert cells_of(Size(64, 48), Size(16, 16), 0, 0, 0, 0) == (Cells(Size(16, 16), 4, 3), [])
    assert cells_of(Size(64, 48), None, 4, 3, 0, 0) == (Cells(Size(16, 16), 4, 3), [])
    assert cells_of(Size(39, 23), None, 3, 2, 2, 1) == cells_of(Size(39, 23), Size(11, 9), 0, 0, 2, 1)
    cells, warnings = cells_of(Size(70, 48), Size(16, 16), 0, 0, 0, 0)
    assert cells == Cells(Size(16, 16), 4, 3)
    assert warnings == ["6 pixels at the right are left over: cells of 16×16 may be the wrong size"]
    assert "".join(cells_of(Size(64, 50), Size(16, 16), 0, 0, 0, 0)[1]).startswith(
        "2 pixels at the bottom are left over"
    )


def test_cells_that_cannot_be() -> None:
    with pytest.raises(UsageError, match="a cell of 65×16 is larger than the sheet, 64×48"):
        cells_of(Size(64, 48), Size(65, 16), 0, 0, 0, 0)
    with pytest.raises(UsageError, match=r"3 × 3 cells do not divide .*: a cell would be 21\.3333 × 16 pixels"):
        cells_of(Size(64, 48), None, 3, 3, 0, 0)


def test_cells_are_cut_in_reading_order_and_empty_ones_left_out() -> None:
    sheet = np.zeros((20, 30, 4), np.uint8)
    parts = {(0, 0): art(10, 10, 1), (20, 0): art(10, 10, 2), (10, 10): art(10, 10, 3)}
    for (x, y), part in parts.items():
        sheet[y : y + 10, x : x + 10] = part
    cut = cut_cells(sheet, Cells(Size(10, 10), 3, 2), keep_empty=False, limits=USUAL)
    assert cut.rows == (2, 1)
    assert all(np.array_equal(a, b) for a, b in zip(cut.pictures, parts.values(), strict=True))
    assert cut_cells(sheet, Cells(Size(10, 10), 3, 2), keep_empty=True, limits=USUAL).rows == (3, 3)


def oval(w: int, h: int) -> np.ndarray:
    y, x = np.mgrid[:h, :w]
    return ((x - (w - 1) / 2) / (w / 2)) ** 2 + ((y - (h - 1) / 2) / (h / 2)) ** 2 <= 1


def drawn(figures: list[tuple[int, int, np.ndarray]], w: int, h: int) -> np.ndarray:
    sheet = np.zeros((h, w, 4), np.uint8)
    for x, y, mask in figures:
        sheet[y : y + mask.shape[0], x : x + mask.shape[1]][mask] = (90, 60, 30, 255)
    return sheet


def blocks(*boxes: tuple[int, int, int, int]) -> np.ndarray:
    sheet = np.zeros((60, 100, 4), np.uint8)
    for number, (x, y, w, h) in enumerate(boxes, 1):
        sheet[y : y + h, x : x + w] = (number, 0, 0, 200)
    return sheet


def order(sheet: np.ndarray, join: int = 1) -> list[int]:
    return [int(picture[..., 0].max()) for picture in cut_islands(sheet, join, USUAL).pictures]


def test_islands_in_reading_order_by_rows() -> None:
    sheet = blocks((60, 8, 10, 12), (5, 10, 10, 10), (30, 5, 10, 16), (40, 40, 9, 9), (4, 36, 9, 9))
    cut = cut_islands(sheet, 1, USUAL)
    assert order(sheet) == [2, 3, 1, 5, 4]
    assert cut.rows == (3, 2)
    assert cut.pictures[1].shape == (16, 10, 4)
    assert cut.warnings == ()


def test_corners_touch_and_near_islands_join() -> None:
    assert order(blocks((5, 5, 4, 4), (9, 9, 4, 4))) == [2]
    apart = blocks((5, 5, 8, 8), (16, 5, 8, 8))  # three empty columns between
    assert len(order(apart, 3)) == 2
    assert len(order(apart, 4)) == 1


def test_an_island_holds_its_own_pixels_only() -> None:
    sheet = blocks((5, 5, 20, 3), (5, 5, 3, 20), (15, 14, 6, 6))
    corner, inner = cut_islands(sheet, 1, USUAL).pictures
    assert corner.shape == (20, 20, 4)
    assert not corner[9:15, 10:16].any()
    assert inner.shape == (6, 6, 4)


def test_touching_figures_and_crumbs_are_reported() -> None:
    touching = cut_islands(blocks((0, 0, 10, 12), (14, 0, 10, 12), (30, 0, 20, 12), (55, 0, 10, 12)), 1, USUAL)
    assert touching.warnings == (
        "island 3 at 30,0 is 20×12 where others are about 10×12: figures may touch there; cut by cells or boxes",
    )
    stacked = drawn([(2, 2, oval(20, 24)), (2, 26, oval(20, 24)), (30, 2, oval(20, 24)), (60, 2, oval(20, 24))], 90, 60)
    assert cut_islands(stacked, 1, USUAL).warnings == (
        "island 1 at 2,2 is 20×48 where others are about 20×24: 2 figures seem to touch there; split_touching splits "
        "them, or cut by cells",
    )
    narrower = blocks((0, 0, 10, 12), (14, 0, 12, 12), (30, 0, 15, 12), (55, 0, 10, 12))
    assert cut_islands(narrower, 1, USUAL).warnings == ()
    mixed = blocks((0, 0, 6, 12), (12, 0, 16, 12), (40, 0, 40, 12))  # no width is the usual one
    assert cut_islands(mixed, 1, USUAL).warnings == ()
    crumbs = cut_islands(blocks((0, 0, 20, 20), (30, 0, 20, 20), (25, 8, 2, 2)), 1, USUAL)
    assert crumbs.warnings == ("1 island of 3 are crumbs beside the largest: join='N' joins loose parts",)


def test_an_empty_sheet_has_no_islands() -> None:
    assert cut_islands(np.zeros((9, 9, 4), np.uint8), 2, USUAL).pictures == ()


def test_crumbs_belong_to_the_figure_next_to_them() -> None:
    """Rims of resampled figures leave a few faint pixels. They measure nothing, and are lost nowhere."""
    sheet = drawn([(10 + 30 * column, 10, oval(20, 24)) for column in range(4)], 140, 60)
    for x, y in ((32, 21), (8, 22), (61, 22), (121, 21)):
        sheet[y, x] = (90, 60, 30, 3)
    cut = cut_islands(sheet, 1, USUAL)
    assert cut.rows == (4,)
    assert sum(np.count_nonzero(picture[..., 3]) for picture in cut.pictures) == np.count_nonzero(sheet[..., 3])
    sheet[50, 70] = (9, 9, 9, 255)  # far from all figures
    assert cut_islands(sheet, 1, USUAL).rows == (4, 1)
