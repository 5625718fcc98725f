"""Boxes stay where they were; new ones go beside them; all limits hold."""

from dataclasses import replace

from drawn_limits import limits
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.arrange.pinned import PinnedBox, arrange_pinned
from agile_crate.core.arrange.sheet_size import SheetLimits, SheetRules
from agile_crate.core.arrange.sheets import BoxGroup, Filling, arrange_on_sheets
from agile_crate.core.arrange.tight import Place
from agile_crate.core.model.geometry import Box, Size

SIDES = st.tuples(st.integers(1, 24), st.integers(1, 24))
GROUPS = st.lists(st.lists(SIDES, min_size=1, max_size=8), min_size=1, max_size=6)
LIMITS = limits(Size(40, 40), Size(64, 48), Size(512, 512), aspects=(None, 2), margin=2, gap=2)


def built(groups: list[list[tuple[int, int]]]) -> tuple[list[tuple[int, int]], list[BoxGroup]]:
    sizes = [size for group in groups for size in group]
    first, made = 0, []
    for group in groups:
        made.append(BoxGroup(tuple(range(first, first + len(group)))))
        first += len(group)
    return sizes, made


def stays_of(fillings: list[Filling]) -> dict[tuple[int, int], PinnedBox]:
    return {
        (g, box): PinnedBox(index, dict(zip(filling.boxes, filling.arranged.places, strict=True))[box])
        for index, filling in enumerate(fillings)
        for g, box in filling.members
    }


def box_of(size: tuple[int, int], place: Place) -> Box:
    w, h = size[::-1] if place.turned else size
    return Box(place.x, place.y, w, h)


def check(fillings: list[Filling], sizes: list[tuple[int, int]], groups: list[BoxGroup], limits: SheetLimits) -> None:
    placed = {(g, box) for filling in fillings for g, box in filling.members}
    assert placed == {(g, box) for g, group in enumerate(groups) for box in group.boxes}
    for filling in fillings:
        assert {box for _, box in filling.members} == set(filling.boxes)
        size, margin, gap = filling.arranged.size, limits.margin, limits.gap
        assert limits.rules.sheet_size(size) == size
        assert Box(0, 0, *limits.rules.usable).contains(Box(0, 0, *size))
        here = [box_of(sizes[b], place) for b, place in zip(filling.boxes, filling.arranged.places, strict=True)]
        assert all(Box(margin, margin, size.w - 2 * margin, size.h - 2 * margin).contains(box) for box in here)
        assert limits.turn or not any(place.turned for place in filling.arranged.places)
        for index, box in enumerate(here):
            around = Box(box.x - gap, box.y - gap, box.w + 2 * gap, box.h + 2 * gap)
            assert not any(around.touches(other) for other in here[index + 1 :])


@given(GROUPS, GROUPS, LIMITS, st.sets(st.integers(0, 40)), st.sets(st.integers(0, 40)))
def test_all_that_is_promised(
    old: list[list[tuple[int, int]]],
    new: list[list[tuple[int, int]]],
    limits: SheetLimits,
    gone: set[int],
    grown: set[int],
) -> None:
    """Some boxes go, some change their size, and groups come."""
    sizes, groups = built(old)
    before = arrange_on_sheets(sizes, groups, limits)
    stays = {member: stay for member, stay in stays_of(before).items() if member[1] not in grown}
    more, added = built(new)
    groups = [BoxGroup(tuple(box for box in group.boxes if box not in gone)) for group in groups]
    groups = [group for group in groups if group.boxes]
    names = {box: g for g, group in enumerate(groups) for box in group.boxes}
    stays = {(names[box], box): stay for (_, box), stay in stays.items() if box in names}
    groups += [BoxGroup(tuple(box + len(sizes) for box in group.boxes)) for group in added]
    sizes = [(min(24, w + 3), max(1, h - 1)) if box in grown else (w, h) for box, (w, h) in enumerate(sizes)] + more
    stayed = arrange_pinned(sizes, groups, stays, [filling.arranged.size for filling in before], limits)
    check(stayed.fillings, sizes, groups, limits)
    assert stayed.kept == len(stays)
    after = stays_of(stayed.fillings)
    there = sorted({stay.sheet for stay in stays.values()})  # sheets on which nothing is left are gone, or new
    for member, stay in stays.items():
        assert after[member].place == stay.place
        assert after[member].sheet >= there.index(stay.sheet)
    assert len({after[member].sheet for member in stays}) == len(there)
    again = arrange_pinned(sizes, groups, after, [f.arranged.size for f in stayed.fillings], limits)
    assert stays_of(again.fillings) == after  # nothing moves where nothing changed


def test_a_hole_is_filled_before_the_sheet_grows() -> None:
    limits = SheetLimits(SheetRules(Size(100, 100)), None)
    sizes = [(10, 10)] * 9 + [(10, 10), (8, 9)]
    groups = [BoxGroup(tuple(range(9)))]
    (before,) = arrange_on_sheets(sizes[:9], groups, limits)
    stays = {member: stay for member, stay in stays_of([before]).items() if member[1] != 4}
    now = [BoxGroup((0, 1, 2, 3, 5, 6, 7, 8, 9))]
    stayed = arrange_pinned(sizes, now, stays, [before.arranged.size], limits)
    assert [filling.arranged.size for filling in stayed.fillings] == [before.arranged.size]
    more = [BoxGroup((0, 1, 2, 3, 5, 6, 7, 8, 9, 10))]
    (grown,) = arrange_pinned(sizes, more, stays, [before.arranged.size], limits).fillings
    assert grown.arranged.size.w * grown.arranged.size.h <= before.arranged.size.w * before.arranged.size.h * 1.31


def test_what_no_longer_fits_moves() -> None:
    """A place beyond a smaller limit, one nearer than a larger gap, and two that lie over each other."""
    limits = SheetLimits(SheetRules(Size(40, 40)), None, gap=2)
    sizes = [(10, 10)] * 4
    stays = {(0, 0): PinnedBox(0, Place(0, 0)), (0, 1): PinnedBox(0, Place(11, 0)), (0, 2): PinnedBox(0, Place(35, 0)), (0, 3): PinnedBox(3, Place(0, 0))}  # fmt: skip
    groups = [BoxGroup((0, 1, 2, 3))]
    stayed = arrange_pinned(sizes, groups, stays, [Size(60, 60)], limits)
    check(stayed.fillings, sizes, groups, limits)
    assert stayed.kept == 1
    over = {(0, 0): PinnedBox(0, Place(5, 5)), (0, 1): PinnedBox(0, Place(9, 9))}
    stayed = arrange_pinned(sizes, groups, over, [Size(40, 40)], limits)
    check(stayed.fillings, sizes, groups, limits)
    assert stayed.kept == 1


def test_a_sheet_on_which_nothing_is_left_goes_and_stills_go_anywhere() -> None:
    limits = SheetLimits(SheetRules(Size(20, 20)), None)
    sizes = [(10, 10)] * 12
    stays = {(0, box): PinnedBox(1, Place(10 * (box % 2), 10 * (box // 2))) for box in range(3)}
    groups = [BoxGroup((0, 1, 2)), BoxGroup((3, 4, 5, 6, 7), loose=True)]
    stayed = arrange_pinned(sizes, groups, stays, [Size(20, 20), Size(20, 20)], limits)
    check(stayed.fillings, sizes, groups, limits)
    assert [sorted(box for _, box in filling.members) for filling in stayed.fillings] == [[4, 5, 6, 7], [0, 1, 2, 3]]
    turned = replace(limits, turn=True)
    alike = arrange_pinned(
        [(20, 10), (10, 20)], [BoxGroup((0, 1))], {(0, 0): PinnedBox(0, Place(0, 0, True))}, [Size(20, 20)], turned
    )
    check(alike.fillings, [(20, 10), (10, 20)], [BoxGroup((0, 1))], turned)
    assert alike.kept == 1
