"""Blocks: every frame in one cell, blocks apart from each other and inside the limits, the shapes that were asked for."""

from dataclasses import replace

import pytest
from drawn_limits import limits
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from agile_crate.core.arrange.blocks import Blocks, Lot, arrange_blocks
from agile_crate.core.arrange.sheet_size import SheetLimits, SheetRules
from agile_crate.core.model.geometry import Box, Size

SIDES = st.integers(1, 40)
LOTS = st.lists(
    st.builds(Lot, st.integers(1, 30), st.builds(Size, SIDES, SIDES), st.booleans()), min_size=1, max_size=12
)
LIMITS = limits(Size(64, 64), Size(100, 60), Size(4096, 4096), aspects=(None, 1, 2), margin=3, gap=3)


def pixels(made: Blocks) -> int:
    return sum(filling.arranged.size.w * filling.arranged.size.h for filling in made.fillings)


def boxes(made: Blocks, sheet: int) -> list[Box]:
    filling = made.fillings[sheet]
    pairs = zip(filling.boxes, filling.arranged.places, strict=True)
    return [Box(place.x, place.y, *made.blocks[index].cells.extent) for index, place in pairs]


@given(LOTS, LIMITS, st.sampled_from([(0, 0), (4, 0), (0, 2)]))
@settings(max_examples=30, deadline=None)
def test_all_that_is_promised(lots: list[Lot], limits: SheetLimits, asked: tuple[int, int]) -> None:
    room = [side - 2 * limits.margin for side in limits.rules.usable]
    assume(all(lot.cell.w <= room[0] and lot.cell.h <= room[1] for lot in lots))
    made = arrange_blocks(lots, limits, *asked)
    for number, lot in enumerate(lots):
        parts = [shaped for shaped in made.blocks if shaped.part.lot == number]
        frames = [f for part, _ in parts for f in range(part.first, part.first + part.frames)]
        assert frames == list(range(lot.count))
        for part, cells in parts:
            assert cells.size == lot.cell
            assert cells.gap == limits.gap
            assert -(-part.frames // cells.columns) == cells.rows  # no row too many
            assert asked[0] == 0 or cells.columns <= asked[0]
            assert asked[1] == 0 or cells.rows <= asked[1]
    assert sorted(index for filling in made.fillings for index in filling.boxes) == list(range(len(made.blocks)))
    for number, filling in enumerate(made.fillings):
        size, margin, gap = filling.arranged.size, limits.margin, limits.gap
        assert size.w <= limits.rules.usable.w
        assert size.h <= limits.rules.usable.h
        here = boxes(made, number)
        assert all(Box(margin, margin, size.w - 2 * margin, size.h - 2 * margin).contains(box) for box in here)
        for index, box in enumerate(here):
            around = Box(box.x - gap, box.y - gap, box.w + 2 * gap, box.h + 2 * gap)
            assert not any(around.touches(other) for other in here[index + 1 :])
    assert arrange_blocks(lots, limits, *asked) == made


def test_more_effort_is_never_worse() -> None:
    lots = [Lot(3 + 5 * n % 11, Size(20 + 7 * n % 13, 30 + 5 * n % 17)) for n in range(9)]
    quick, normal = (arrange_blocks(lots, SheetLimits(gap=1, effort=effort)) for effort in ("quick", "normal"))
    assert pixels(normal) <= pixels(quick)
    cells = sum(lot.count * (lot.cell.w + 1) * (lot.cell.h + 1) for lot in lots)
    assert pixels(normal) < 1.08 * cells


@pytest.mark.parametrize(
    ("count", "asked", "shapes"),
    [
        (12, (0, 0), [(4, 3)]),  # 40×30 is nearer to square than 3 × 4, 30×40? both are as near; the first one stays
        (12, (5, 0), [(5, 3)]),
        (3, (5, 0), [(3, 1)]),
        (12, (0, 1), [(9, 1), (3, 1)]),  # a row is as long as a sheet of 90 allows
        (100, (0, 0), [(9, 9), (5, 4)]),
        (7, (0, 0), [(4, 2)]),  # 7 × 1 would be longer than 2:1
    ],
)
def test_shapes(count: int, asked: tuple[int, int], shapes: list[tuple[int, int]]) -> None:
    limits = SheetLimits(SheetRules(Size(90, 90)), effort="quick")
    made = arrange_blocks([Lot(count, Size(10, 10))], limits, *asked)
    assert [sorted((c.columns, c.rows), reverse=True) for _, c in made.blocks] == [
        sorted(s, reverse=True) for s in shapes
    ]


def test_a_part_stays_whole_and_stills_go_anywhere() -> None:
    """Four animations of three quarters of a sheet each, and stills that fill what is left."""
    limits = SheetLimits(SheetRules(Size(40, 40)), None, effort="quick")
    lots = [Lot(12, Size(10, 10)) for _ in range(4)] + [Lot(1, Size(10, 10), loose=True) for _ in range(16)]
    made = arrange_blocks(lots, limits)
    assert len(made.fillings) == 4
    assert pixels(made) == 4 * 40 * 40
    assert arrange_blocks([], limits) == Blocks((), ())
    wide = [replace(lot, cell=Size(40, 10)) for lot in lots[:1]]
    assert [cells.rows for _, cells in arrange_blocks(wide, limits).blocks] == [4, 4, 4]
