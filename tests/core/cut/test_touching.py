"""Figures that touch: where they are parted, and what is left whole."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from agile_crate.core.cut import touching
from agile_crate.core.cut.bare_sheet import cut_boxes, cut_islands, opaque
from agile_crate.core.cut.touching import seams
from agile_crate.core.limits import USUAL
from agile_crate.core.model.geometry import Box
from agile_crate.core.pixels import Pixels
from planted import judged, planted


def oval(w: int, h: int) -> np.ndarray:
    y, x = np.mgrid[:h, :w]
    return ((x - (w - 1) / 2) / (w / 2)) ** 2 + ((y - (h - 1) / 2) / (h / 2)) ** 2 <= 1


def drawn(figures: list[tuple[int, int, np.ndarray]], w: int, h: int) -> Pixels:
    """Shapes at their places, each in a color of its own, over each other."""
    sheet = np.zeros((h, w, 4), np.uint8)
    for number, (x, y, mask) in enumerate(figures, 1):
        sheet[y : y + mask.shape[0], x : x + mask.shape[1]][mask] = (20 * number % 256, 90, 30, 255)
    return sheet


def check(chain: list[tuple[int, int, np.ndarray]], alone: list[tuple[int, int, np.ndarray]], overlap: int) -> None:
    """Each part has the figure's width, but for what lies under its neighbor, and all pixels are there once."""
    figures = chain + alone
    h, w = chain[0][2].shape
    sheet = drawn(figures, figures[-1][0] + w + 4, h + 4)
    cutting = cut_islands(sheet, 1, USUAL, split_touching=True)
    assert cutting.rows == (len(figures),)
    assert len(cutting.parted) == len(chain) - 1
    assert all(abs(box.w - w) <= overlap + 2 for box in cutting.boxes)
    seen = sum(np.count_nonzero(picture[..., 3]) for picture in cutting.pictures)
    assert seen == np.count_nonzero(sheet[..., 3])
    assert len(cut_islands(sheet, 1, USUAL).pictures) == len(alone) + 1


@settings(max_examples=30, deadline=None)
@given(st.integers(2, 6), st.integers(0, 3), st.integers(20, 34), st.integers(20, 40))
def test_a_chain_is_parted_beside_figures_that_stand_alone(count: int, overlap: int, w: int, h: int) -> None:
    chain = [(2 + number * (w - overlap), 2, oval(w, h)) for number in range(count)]
    alone = [(chain[-1][0] + number * (w + 4), 2, oval(w, h)) for number in range(1, 2 + count)]
    check(chain, alone, overlap)


@settings(max_examples=30, deadline=None)
@given(st.integers(2, 6), st.integers(26, 40), st.integers(20, 40))
def test_a_chain_is_parted_at_its_necks_where_all_touch(count: int, w: int, h: int) -> None:
    check([(2 + number * w, 2, oval(w, h)) for number in range(count)], [], 0)


def test_the_seam_runs_where_alpha_is_least() -> None:
    alpha = np.full((10, 20), 255, np.uint8)
    path = [9, 10, 11, 11, 10, 9, 8, 8, 9, 10]
    for row, column in enumerate(path):
        alpha[row, column] = 3 if row == 4 else 0
    (seam,) = seams(alpha, [10])
    assert all(column in (x, x + 1) for x, column in zip(path, seam.columns.tolist(), strict=True))
    assert seam.crossed == 1


def test_bodies_one_above_the_other() -> None:
    shape = oval(20, 24)
    figures = [(2 + 26 * column, 2 + 28 * row, shape) for row in range(3) for column in range(4)]
    figures[5] = (28, 25, shape)  # touches the one above it
    cutting = cut_islands(drawn(figures, 110, 90), 1, USUAL, split_touching=True)
    assert cutting.rows == (4, 4, 4)
    (parted,) = cutting.parted
    assert parted.across
    assert (parted.begin.x, parted.end.x) == (28, 47)
    assert parted.begin.y in (25, 26)  # a row of the two overlaps


@pytest.mark.parametrize("lying", [np.ones((12, 44), bool), oval(48, 14)], ids=["block", "oval"])
def test_what_is_thick_everywhere_is_left_whole(lying: np.ndarray) -> None:
    shape = oval(20, 30)
    figures = [(2 + 24 * column, 2, shape) for column in range(4)] + [(100, 30 - lying.shape[0], lying)]
    cutting = cut_islands(drawn(figures, 160, 36), 1, USUAL, split_touching=True)
    assert cutting.rows == (5,)
    assert cutting.parted == ()
    assert [str(warning) for warning in cutting.warnings] == [
        f"island 5 at 100,{30 - lying.shape[0]} is {lying.shape[1]}×{lying.shape[0]} where others are about 20×30: it has "
        "no thin place, so it was left whole"
    ]


def test_a_figure_with_a_thin_tail_is_one() -> None:
    shape = np.zeros((30, 50), bool)
    shape[:, :24] = oval(24, 30)
    shape[14:16, 20:50] = True
    shape[10:20, 44:50] = True
    cutting = cut_islands(drawn([(3, 3, shape)], 60, 40), 1, USUAL, split_touching=True)
    assert len(cutting.pictures) == 1
    assert cutting.parted == ()


def test_boxes_are_cut_as_they_are_and_told_where_they_overlap() -> None:
    sheet = drawn([(2, 2, oval(20, 24))], 40, 30)
    boxes = [Box(0, 0, 10, 30), Box(9, 5, 20, 10), Box(30, 0, 10, 30)]
    cutting = cut_boxes(sheet, boxes)
    for picture, box in zip(cutting.pictures, boxes, strict=True):
        assert np.array_equal(picture, sheet[box.y : box.bottom, box.x : box.right])
    assert [str(warning) for warning in cutting.warnings] == [
        "boxes 1 and 2 overlap: what lies in both is in both frames"
    ]
    assert not opaque(sheet)
    assert opaque(np.full((3, 3, 4), 255, np.uint8))


@pytest.mark.parametrize("name", ["otter/idle", "otter/walk_down"])
@pytest.mark.parametrize("soft", [False, True])
def test_planted_figures_are_cut_within_a_pixel(name: str, soft: bool) -> None:
    for plant in planted(name, soft, gap=-1):
        assert judged(plant) == (len(plant.touching), 0), plant.kind


def test_on_a_huge_island_seams_are_straight(monkeypatch: pytest.MonkeyPatch) -> None:
    alpha = drawn([(0, 0, oval(40, 60)), (38, 2, oval(40, 60))], 78, 62)[..., 3]
    bent, steps = seams(alpha, [40, 40]), touching.MOST_STEPS
    monkeypatch.setattr(touching, "MOST_STEPS", alpha.size)
    (straight,) = seams(alpha, [40, 40])
    assert steps > alpha.size
    assert (len(bent), len(set(straight.columns.tolist()))) == (1, 1)
    assert abs(int(straight.columns[0]) - 39) <= 1
