import dataclasses
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.crate.check import PAIRS_LISTED, check_crate, check_repeated_edges, restorable
from agile_crate.core.model.crate import LARGEST_NUMBER, Animation, Crate, Frame
from agile_crate.core.model.geometry import Block, Box, Cells, Offset, Point, Size
from agile_crate.core.model.sheet import Sheet
from agile_crate.core.text import counted

CELLS = Cells(Size(10, 10), 3, 1, margin=1, gap=2)


def crate(boxes: list[Box], cells: Cells | None = CELLS, size: Size = Size(36, 12)) -> Crate:
    frames = tuple(Frame(f"swim_{i}", 0, box, box.size, Offset(0, 0), Point(0, 0)) for i, box in enumerate(boxes))
    animation = Animation("swim", tuple(range(len(boxes))), (83,) * len(boxes))
    return Crate("otter", (Sheet("otter.png", size, cells),), frames, (animation,))


GOOD = crate([CELLS.box(0), CELLS.box(1), CELLS.box(2)])


def changed_frame(**changes: object) -> Crate:
    frames = (GOOD.frames[0], GOOD.frames[1]._replace(**changes), GOOD.frames[2])
    return GOOD._replace(frames=frames)


def changed_animation(**changes: object) -> Crate:
    return GOOD._replace(animations=(GOOD.animations[0]._replace(**changes),))


def test_a_good_crate_has_no_problems() -> None:
    assert list(check_crate(GOOD)) == []


@pytest.mark.parametrize(
    ("bad", "sentence"),
    [
        (changed_frame(name="swim_0"), "2 frames are named 'swim_0'"),
        (changed_frame(on_sheet=3)._replace(sheets=GOOD.sheets * 3), "frame 'swim_1' is on sheet 3, and the last one is 2"),
        (changed_frame(box=Box(30, 1, 10, 10)), "frame 'swim_1': its box [30, 1, 10, 10] is not inside its sheet [36, 12]"),
        (changed_frame(box=Box(12, 1, 10, 10)), "frame 'swim_1': its box [12, 1, 10, 10] is not inside cell 1 of its sheet"),
        (crate([Box(1, 1, 9, 9), Box(14, 2, 9, 9)], None)._replace(sheets=(Sheet("otter.png", Size(36, 12), None, gap=9, margin=2),)), "are closer than the gap of 9"),
        (crate([Box(1, 1, 9, 9), Box(24, 2, 9, 7)], None)._replace(sheets=(Sheet("otter.png", Size(36, 12), None, margin=2),)), "is closer to the edge than the margin of 2"),
        (changed_frame(box=GOOD.frames[0].box, turned=True), "frames 'swim_0' and 'swim_1' share a box, and only one of them is turned"),
        (changed_frame(offset=Offset(10, 0)), "its pixels, [10, 10] at [10, 0], lie beside its canvas [10, 10]"),
        (changed_frame(box=Box(12, 1, 10, 10)), "frames 'swim_0' [1, 1, 10, 10] and 'swim_1' [12, 1, 10, 10] are closer than the gap of 2"),
        (changed_frame(box=Box(5, 1, 10, 10)), "frames 'swim_0' [1, 1, 10, 10] and 'swim_1' [5, 1, 10, 10] overlap"),
        (changed_animation(frames=()), "animation 'swim' has no frames"),
        (changed_animation(durations=(83,)), "animation 'swim' has 3 frames and 1 durations"),
        (changed_animation(durations=(83, 0, 83)), "animation 'swim': durations out of range, from 0 to 83"),
        (changed_animation(frames=(0, 1, 7)), "animation 'swim' names frame 7, and the last one is 2"),
        (GOOD._replace(animations=GOOD.animations * 2), "2 animations are named 'swim'"),
        (GOOD._replace(sheets=(Sheet("otter.png", Size(35, 12), CELLS),)), "its cells need [36, 12], and it is [35, 12]"),
        (crate([CELLS.box(i) for i in range(3)] + [Box(0, 0, 1, 1)]), "4 frames in 3 cells"),
    ],
)  # fmt: skip
def test_each_problem_is_told(bad: Crate, sentence: str) -> None:
    assert any(sentence in problem for problem in check_crate(bad))


BLOCKS = (
    Block(0, 2, Offset(1, 1), Cells(Size(4, 5), 2, 1, gap=2)),
    Block(2, 1, Offset(20, 3), Cells(Size(9, 6), 1, 1)),
)
IN_BLOCKS = crate([Box(1, 1, 4, 5), Box(8, 2, 2, 2), Box(20, 3, 9, 6)], None)


def with_blocks(*blocks: Block, frames: Crate = IN_BLOCKS) -> Crate:
    return frames._replace(sheets=(Sheet("otter.png", Size(36, 12), None, gap=2, blocks=blocks),))


@pytest.mark.parametrize(
    ("blocks", "problems"),
    [
        (BLOCKS, []),
        (BLOCKS[:1], ["sheet 'otter.png': its blocks hold 2 frames, and it has 3"]),
        ((BLOCKS[0], BLOCKS[0]), ["sheet 'otter.png': its blocks hold 4 frames, and it has 3"]),
        ((BLOCKS[0], dataclasses.replace(BLOCKS[1], first=1)), ["sheet 'otter.png': its block [20, 3, 9, 6] has frame 1, which is elsewhere"]),
        ((BLOCKS[0], dataclasses.replace(BLOCKS[1], first=LARGEST_NUMBER - 1)), [f"sheet 'otter.png': its block [20, 3, 9, 6] has frame {LARGEST_NUMBER - 1}, which is elsewhere"]),
        ((dataclasses.replace(BLOCKS[0], cells=Cells(Size(4, 5), 1, 1)), BLOCKS[1]), ["sheet 'otter.png': its block [1, 1, 4, 5] has 2 frames in 1 cell"]),
        ((dataclasses.replace(BLOCKS[0], at=Offset(0, 2)), BLOCKS[1]), ["frame 'swim_0': its box [1, 1, 4, 5] is not inside its cell [0, 2, 4, 5]"]),
        ((BLOCKS[0], dataclasses.replace(BLOCKS[1], cells=Cells(Size(9, 6), 2, 1))), ["sheet 'otter.png': its block [20, 3, 18, 6] is not inside it, [36, 12]"]),
    ],
)  # fmt: skip
def test_every_frame_in_its_cell_of_one_block(blocks: tuple[Block, ...], problems: list[str]) -> None:
    assert list(check_crate(with_blocks(*blocks))) == problems


def test_frames_may_share_a_box() -> None:
    assert list(check_crate(crate([Box(0, 0, 4, 4), Box(0, 0, 4, 4), Box(4, 0, 4, 4)], cells=None))) == []


def test_only_frames_that_lie_on_their_sheet_can_be_restored() -> None:
    assert restorable(GOOD, GOOD.frames[0])
    assert not restorable(GOOD, GOOD.frames[0]._replace(on_sheet=1))
    assert not restorable(GOOD, GOOD.frames[0]._replace(box=Box(30, 0, 10, 10)))


@given(st.lists(st.builds(Box, *[st.integers(0, 30)] * 2, *[st.integers(1, 12)] * 2), min_size=2, max_size=12))
def test_overlaps_are_found_as_trying_every_pair_finds_them(boxes: list[Box]) -> None:
    distinct = sorted(set(boxes))
    expected = sum(
        a.x < b.right and b.x < a.right and a.y < b.bottom and b.y < a.bottom
        for i, a in enumerate(distinct)
        for b in distinct[i + 1 :]
    )
    problems = list(check_crate(crate(boxes, None, Size(50, 50))))
    pairs = [problem for problem in problems if problem.endswith("overlap")]
    assert len(pairs) == min(expected, PAIRS_LISTED)
    more = [problem for problem in problems if "of boxes overlap" in problem]
    assert [re.findall("[0-9]+ more pairs?", problem) for problem in more] == (
        [[counted(expected - PAIRS_LISTED, "more pair")]] if expected > PAIRS_LISTED else []
    )


@pytest.mark.parametrize("count", [1, 2, 3])
def test_repeated_edges_are_looked_at_where_they_lie_on_the_sheet(count: int) -> None:
    inner = np.arange(5 * 4 * 4, dtype=np.uint8).reshape(4, 5, 4)
    pixels = np.zeros((4 + 2 * count, 5 + 2 * count, 4), np.uint8)
    pixels[:] = np.pad(inner, ((count, count), (count, count), (0, 0)), "edge")

    def told(box: Box) -> list[str]:
        frame = GOOD.frames[0]._replace(box=box)
        sheet = Sheet("o.png", Size(5 + 2 * count, 4 + 2 * count), None, edge_repeat=count)
        return list(check_repeated_edges(sheet, [frame, frame], pixels))

    assert told(Box(count, count, 5, 4)) == []
    pixels[-1, 0] += 1
    assert told(Box(count, count, 5, 4)) == [
        f"frame 'swim_0': its repeated edge differs in 1 pixel, first at 0,{3 + 2 * count} of the sheet"
    ]
    for x, y in ((-1, 0), (1, 0), (0, -1), (0, 1)):  # too close to the sheet's edge is told elsewhere
        assert told(Box(count + x, count + y, 5, 4)) == []
