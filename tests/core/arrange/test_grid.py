from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.arrange.grid import WIDEST, GridOptions, arrange_grid
from agile_crate.core.arrange.sheet_size import SheetRules
from agile_crate.core.errors import FitError
from agile_crate.core.model.geometry import Box, Cells, Size

CELL = Size(96, 96)


def shape(count: int, cell: Size = CELL, **wish: object) -> list[tuple[int, int]]:
    return [(s.cells.columns, s.cells.rows) for s in arrange_grid(count, GridOptions(cell, **wish))]


@pytest.mark.parametrize(
    ("count", "expected"),
    [
        (1, (1, 1)), (2, (2, 1)), (3, (3, 1)), (4, (2, 2)), (5, (3, 2)), (7, (4, 2)), (11, (4, 3)),
        (12, (4, 3)), (13, (5, 3)), (42, (7, 6)),
    ],
)  # fmt: skip
def test_columns_chosen_for_square_cells(count: int, expected: tuple[int, int]) -> None:
    assert shape(count) == [expected]


@pytest.mark.parametrize(
    ("count", "wish", "expected"),
    [
        (13, {"columns": 4}, [(4, 4)]), (5, {"columns": 8}, [(8, 1)]), (13, {"rows": 2}, [(7, 2)]),
        (5, {"rows": 4}, [(2, 4)]), (12, {"columns": 3, "rows": 5}, [(3, 5)]), (13, {"strip": True}, [(13, 1)]),
        (13, {"strip": True, "down": True}, [(1, 13)]), (50, {"strip": True}, [(42, 1), (8, 1)]),
        (13, {"rules": SheetRules(pow2=True)}, [(5, 5)]), (3, {"rules": SheetRules(pow2=True)}, [(2, 2)]),
        (200, {"cell": Size(128, 128), "rules": SheetRules(exact=Size(2048, 2048))}, [(16, 16)]),
        (200, {"cell": Size(128, 128), "rules": SheetRules(exact=Size(2048, 1024))}, [(16, 8), (16, 8)]),
        (3, {"rules": SheetRules(square=True)}, [(2, 2)]),
        (13, {"rules": SheetRules(exact=Size(1024, 300))}, [(10, 3)]),
        (100, {"columns": 4, "rules": SheetRules(Size(400, 480))}, [(4, 5)] * 5),
        (21, {"columns": 4, "rules": SheetRules(Size(400, 480))}, [(4, 5), (4, 1)]),
        (21, {"rules": SheetRules(Size(400, 480))}, [(4, 5), (1, 1)]),
        (9, {"rows": 2, "rules": SheetRules(Size(300, 480))}, [(3, 2), (2, 2)]),
        (40, {"rules": SheetRules(Size(4096, 128))}, [(40, 1)]), (1, {"cell": Size(256, 16)}, [(1, 1)]),
        (4, {"cell": Size(256, 16)}, [(1, 4)]),
    ],
)  # fmt: skip
def test_columns_and_rows(count: int, wish: dict[str, object], expected: list[tuple[int, int]]) -> None:
    assert shape(count, **wish) == expected


def test_sheet_sizes_obey_the_rules() -> None:
    def size(**rules: object) -> Size:
        return arrange_grid(13, GridOptions(CELL, gap=2, margin=3, rules=SheetRules(**rules)))[0].size

    assert size() == (5 * 96 + 4 * 2 + 6, 3 * 96 + 2 * 2 + 6)
    assert size(pow2=True) == (512, 512)
    assert size(multiple=100) == (500, 300)
    assert size(square=True) == (396, 396)
    assert size(exact=Size(777, 888)) == (777, 888)


def test_a_power_of_two_is_not_rounded_beyond_the_limit() -> None:
    sheets = arrange_grid(13, GridOptions(CELL, rules=SheetRules(Size(500, 500), pow2=True)))
    assert [s.size for s in sheets] == [(256, 256)] * 3 + [(128, 128)]
    assert [s.frames for s in sheets] == [4, 4, 4, 1]


def test_where_cells_lie() -> None:
    across, down = Cells(Size(4, 3), 3, 2, margin=1, gap=2), Cells(Size(4, 3), 3, 2, margin=1, gap=2, down=True)
    assert [across.box(i)[:2] for i in range(4)] == [(1, 1), (7, 1), (13, 1), (1, 6)]
    assert [down.box(i)[:2] for i in range(4)] == [(1, 1), (1, 6), (7, 1), (7, 6)]
    assert across.extent == (18, 10)
    assert Box(0, 0, *across.extent).contains(across.box(5))


@pytest.mark.parametrize(
    ("count", "wish", "sentence"),
    [

        (13, {"columns": 4, "rows": 3}, r"13 frames do not fit into 4 × 3 cells \(12\); raise columns or rows"),
        (1, {"rules": SheetRules(Size(64, 64))}, "a cell of 96×96 is larger than the largest sheet allowed, 64×64"),
        (1, {"margin": 1, "rules": SheetRules(Size(97, 97))}, r"with its margin \(98×98\) is larger than"),
        (1, {"rules": SheetRules(exact=Size(64, 64))}, "larger than size='64×64'; give a larger size"),
        (9, {"columns": 50}, "50 columns of 96×96 cells are larger than the largest sheet .*; at most 42 fit"),
        (9, {"rows": 43}, "43 rows of 96×96 cells"),
        (1, {"rules": SheetRules(Size(100, 100), multiple=128)}, "larger than the largest sheet allowed, 0×0"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_said(count: int, wish: dict[str, object], sentence: str) -> None:
    with pytest.raises(FitError, match=sentence):
        shape(count, **wish)


@given(
    count=st.integers(1, 400), cell=st.tuples(st.integers(1, 90), st.integers(1, 90)), columns=st.integers(0, 9),
    strip=st.booleans(), down=st.booleans(), gap=st.integers(0, 5), margin=st.integers(0, 5), pow2=st.booleans(),
    square=st.booleans(),
)  # fmt: skip
def test_every_frame_has_a_cell_of_its_own_on_the_sheet(
    count: int, cell: tuple[int, int], columns: int, strip: bool, down: bool, gap: int, margin: int, pow2: bool,
    square: bool,
) -> None:  # fmt: skip
    rules = SheetRules(Size(1024, 1024), pow2=pow2, square=square)
    wish = GridOptions(Size(*cell), 0 if strip else columns, 0, strip, down, margin, gap, rules)
    sheets = arrange_grid(count, wish)
    assert sum(sheet.frames for sheet in sheets) == count
    for sheet in sheets:
        inner = Box(margin, margin, sheet.size.w - 2 * margin, sheet.size.h - 2 * margin)
        boxes = [sheet.cells.box(i) for i in range(sheet.frames)]
        assert all(inner.contains(box) for box in boxes)
        assert len({box[:2] for box in boxes}) == len(boxes)
        for a, b in pairwise(boxes):
            assert max(b.x - a.right, a.x - b.right, b.y - a.bottom, a.y - b.bottom) >= gap
        assert not pow2 or all(side & (side - 1) == 0 for side in sheet.size)
        assert not square or sheet.size.w == sheet.size.h


@given(st.integers(1, 300), st.integers(1, 60), st.integers(1, 60))
def test_no_other_column_count_makes_a_smaller_sheet(count: int, w: int, h: int) -> None:
    (sheet,) = arrange_grid(count, GridOptions(Size(w, h), rules=SheetRules(Size(16_384, 16_384))))
    others = [Size(c * w, -(-count // c) * h) for c in range(1, count + 1)]
    allowed = [size for size in others if max(size) <= WIDEST * min(size)]
    if allowed:
        assert sheet.size.w * sheet.size.h == min(size.w * size.h for size in allowed)
    assert sheet.size in (allowed or others)
