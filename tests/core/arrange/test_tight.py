"""Tight sheets: nothing overlaps, everything is there once, and the arrangement hangs on the boxes alone."""

import numpy as np
import pytest
from drawn_limits import limits
from hypothesis import given, settings
from hypothesis import strategies as st

from agile_crate.core.arrange.grid import GridOptions, arrange_rows
from agile_crate.core.arrange.share import shared
from agile_crate.core.arrange.sheet_size import SheetLimits, SheetRules
from agile_crate.core.arrange.sheets import BoxGroup, arrange_on_sheets
from agile_crate.core.arrange.tight import ArrangedSheet, arrange, bound, lowest
from agile_crate.core.errors import FitError
from agile_crate.core.model.geometry import Box, Cells, Offset, Size
from agile_crate.core.model.picture import Picture
from conftest import art

sizes = st.lists(st.tuples(st.integers(1, 40), st.integers(1, 40)), min_size=1, max_size=14)
extreme = st.one_of(
    st.lists(st.tuples(st.integers(1, 60), st.integers(1, 60)), min_size=100, max_size=400),
    st.lists(st.tuples(st.sampled_from([1, 2, 900, 901]), st.sampled_from([1, 3, 700])), min_size=1, max_size=60),
    st.integers(1, 400).flatmap(lambda n: st.tuples(st.integers(1, 9), st.integers(1, 9)).map(lambda box: [box] * n)),
)
LIMITS = limits(Size(4096, 4096), Size(300, 150), Size(8192, 1024), aspects=(1, 2, None), margin=5, gap=4)


def check_places(boxes: list[tuple[int, int]], arranged: ArrangedSheet, limits: SheetLimits) -> None:
    """Every box inside the margin, apart by the gap, with its own size."""
    taken = np.zeros((arranged.size.h + limits.gap, arranged.size.w + limits.gap), bool)
    assert len(arranged.places) == len(boxes)
    for (w, h), place in zip(boxes, arranged.places, strict=True):
        assert limits.turn or not place.turned
        w, h = (h, w) if place.turned else (w, h)
        assert limits.margin <= place.x <= arranged.size.w - limits.margin - w
        assert limits.margin <= place.y <= arranged.size.h - limits.margin - h
        area = taken[place.y : place.y + h + limits.gap, place.x : place.x + w + limits.gap]
        assert not area.any()
        area[:] = True


@given(st.one_of(sizes, sizes, extreme), LIMITS)
def test_boxes_keep_apart_and_inside(boxes: list[tuple[int, int]], limits: SheetLimits) -> None:
    arranged = arrange(boxes, limits)
    if arranged is None:
        inside = [side - 2 * limits.margin + limits.gap for side in limits.rules.usable]
        w, h = (min(side, (limits.aspect or 10**6) * min(inside)) for side in inside)
        assert bound(boxes, limits.gap) > 0.6 * w * h or max(map(max, boxes)) > min(inside) - limits.gap
        return
    check_places(boxes, arranged, limits)
    rules, size = limits.rules, arranged.size
    assert size.w <= rules.largest.w
    assert size.h <= rules.largest.h
    assert rules.sheet_size(size) == size
    if limits.aspect and not rules.exact:
        longest = max(max(box) for box in boxes) + limits.gap
        within = max(size) <= limits.aspect * min(size)
        assert within or longest * longest > limits.aspect * bound(boxes, limits.gap) or len(boxes) == 1


@settings(max_examples=25)
@given(sizes, LIMITS, st.randoms())
def test_the_order_of_boxes_does_not_matter(boxes: list[tuple[int, int]], limits: SheetLimits, chance: object) -> None:
    shuffled = list(boxes)
    chance.shuffle(shuffled)  # type: ignore[attr-defined]
    first, second = arrange(boxes, limits), arrange(shuffled, limits)
    assert (first and first.size) == (second and second.size)
    assert arrange(boxes, limits) == first


def test_well_known_sets() -> None:
    for count, least in ((6, 99), (9, 300), (11, 513), (12, 667)):  # published, and proven here again
        found = arrange([(side, side) for side in range(1, count + 1)], SheetLimits(aspect=None))
        assert (found.size.w * found.size.h, found.proven) == (least, True)
    rows = [(10, 5)] * 40
    assert arrange(rows, SheetLimits()).size.w * arrange(rows, SheetLimits()).size.h == 2000
    assert lowest([(60, 40), (40, 40), (30, 60), (70, 35), (70, 25)], 100) == 100
    exact = arrange([(32, 64)] * 32, SheetLimits(SheetRules(exact=Size(256, 256))))
    assert exact.size == (256, 256)
    assert arrange([(32, 64)] * 33, SheetLimits(SheetRules(exact=Size(256, 256)))) is None


def test_a_search_through_all_arrangements_keeps_to_the_limits() -> None:
    squares = [(side, side) for side in range(1, 9)]
    for largest in (Size(40, 12), Size(12, 40)):
        found = arrange(squares, SheetLimits(SheetRules(largest), None))
        assert found.size.w <= largest.w
        assert found.size.h <= largest.h
        check_places(squares, found, SheetLimits())


def test_turning_helps_where_only_turned_boxes_fit() -> None:
    boxes = [(10, 100)] * 3
    rules = SheetRules(Size(100, 40))
    assert arrange(boxes, SheetLimits(rules, None)) is None
    turned = arrange(boxes, SheetLimits(rules, None, turn=True))
    assert all(place.turned for place in turned.places)
    check_places(boxes, turned, SheetLimits(rules, None, turn=True))


def test_extreme_sets() -> None:
    assert arrange([], SheetLimits()).size == (1, 1)
    assert arrange([], SheetLimits(SheetRules(pow2=True), margin=3)).size == (8, 8)
    assert arrange([(4096, 1)], SheetLimits(SheetRules(Size(4096, 4096)), None)).size == (4096, 1)
    for boxes in ([(1, 1)] * 20_000, [(24, 40)] * 20_000, [(4096, 1)] * 1000, [(30, 30)] * 97):
        found = arrange(boxes, SheetLimits(SheetRules(Size(16384, 16384)), aspect=None, gap=2))
        assert (found.size.w + 2) * (found.size.h + 2) == bound(boxes, 2)
        assert (found.proven, len(found.tried)) == (True, 1)  # a grid, found at once
    uneven = arrange([(1, 1), (4096, 1), (1, 700)] * 200, SheetLimits(SheetRules(Size(16384, 16384)), effort="quick"))
    assert uneven.size.w * uneven.size.h <= 4296 * 701
    assert arrange([(30, 30)], SheetLimits(SheetRules(Size(31, 31)), margin=1)) is None


def test_a_larger_limit_never_needs_more_sheets() -> None:
    boxes = [tuple(int(v) for v in np.random.default_rng(seed).integers(4, 60, 2)) for seed in range(60)]
    groups = [BoxGroup(tuple(range(start, start + 6))) for start in range(0, 60, 6)]
    counts = [
        len(arrange_on_sheets(boxes, groups, SheetLimits(SheetRules(Size(side, side)), effort="quick")))
        for side in (100, 120, 140, 170, 200, 260, 400)
    ]
    assert counts == sorted(counts, reverse=True)
    assert counts[-1] == 1


@settings(max_examples=30)
@given(sizes, st.integers(45, 90))
def test_groups_stay_together_where_a_sheet_can_hold_them(boxes: list[tuple[int, int]], side: int) -> None:
    limits = SheetLimits(SheetRules(Size(side, side)), gap=1, effort="quick")
    groups = [BoxGroup(tuple(range(start, min(start + 4, len(boxes))))) for start in range(0, len(boxes), 4)]
    fillings = arrange_on_sheets(boxes, groups, limits)
    members = sorted(member for filling in fillings for member in filling.members)
    assert members == sorted((g, box) for g, group in enumerate(groups) for box in group.boxes)
    for filling in fillings:
        check_places([boxes[box] for box in filling.boxes], filling.arranged, limits)
        assert max(filling.arranged.size) <= side
    for g, group in enumerate(groups):
        alone = arrange([boxes[box] for box in group.boxes], SheetLimits(limits.rules, None, gap=1, effort="quick"))
        on_sheets = {index for index, filling in enumerate(fillings) for number, _ in filling.members if number == g}
        assert alone is None or len(on_sheets) == 1


def picture(pixels: np.ndarray, x: int = 0, y: int = 0) -> Picture:
    h, w = pixels.shape[:2]
    return Picture("a", pixels, Size(30, 30), Offset(x, y), stored=Box(x, y, w, h))


def test_equal_and_mirrored_pixels_are_shared() -> None:
    one, other = art(7, 5, 1), art(7, 5, 2)
    pictures = [
        picture(p, k, k) for k, p in enumerate((one, other, one.copy(), one[:, ::-1], other[::-1], one[::-1, ::-1]))
    ]
    assert shared(pictures) == [(0, ""), (1, ""), (0, ""), (3, ""), (4, ""), (5, "")]
    assert shared(pictures, mirrored=True) == [(0, ""), (1, ""), (0, ""), (0, "x"), (1, "y"), (0, "xy")]
    whole, turned = (
        picture(p, x, 4)._replace(stored=Box(0, 0, 30, 30)) for p, x in ((one, 2), (one[:, ::-1], 30 - 2 - 7))
    )
    aside = turned._replace(offset=Offset(3, 4))  # its image, but elsewhere in what is stored
    assert shared([whole, turned, aside], mirrored=True) == [(0, ""), (0, "x"), (2, "")]


def test_rows() -> None:
    wish = GridOptions(Size(10, 8), margin=1, gap=2, rules=SheetRules(Size(60, 40)))
    (sheet,) = arrange_rows([3, 4, 2], wish)
    assert sheet.cells == Cells(Size(10, 8), 4, 3, 1, 2, filled=(3, 4, 2))
    boxes = list(sheet.boxes())
    assert [boxes[index] for index in (0, 3, 7)] == [(1, 1, 10, 8), (1, 11, 10, 8), (1, 21, 10, 8)]
    (even,) = arrange_rows([3, 3, 2], wish)
    assert even.cells.filled == ()
    (wrapped,) = arrange_rows([5, 1], GridOptions(Size(10, 8), columns=2, rules=SheetRules(Size(60, 40))))
    assert wrapped.cells.filled == (2, 2, 1, 1)
    four_rows = GridOptions(Size(10, 10), columns=3, rules=SheetRules(Size(60, 40)))
    for counts, on_sheets in (
        ([9, 9], [9, 9]),
        ([9, 3], [12]),
        ([3, 12], [3, 12]),
        ([3, 13], [12, 4]),
        ([15], [12, 3]),
    ):
        assert [sheet.frames for sheet in arrange_rows(counts, four_rows)] == on_sheets
    with pytest.raises(FitError, match="7 columns of 10×8 cells are larger than the largest sheet allowed"):
        arrange_rows([9], GridOptions(Size(10, 8), columns=7, rules=SheetRules(Size(60, 40))))
