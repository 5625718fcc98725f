"""The numbers of blocks; those of sheets and animations are read in tests/cli, as they are printed."""

from agile_crate.core.crate.summary import BlockSummary, sheet_summaries
from agile_crate.core.model.crate import Animation, Crate, Frame
from agile_crate.core.model.geometry import Block, Box, Cells, Offset, Point, Size
from agile_crate.core.model.sheet import Sheet

STILL = Block(0, 1, Offset(0, 0), Cells(Size(9, 9), 1, 1))
SWIM = Block(1, 4, Offset(10, 1), Cells(Size(4, 5), 2, 3, gap=1))


def crate(**last: object) -> Crate:
    """A still, and four frames of an animation whose pivots lie in one place of their cells, but for the `last`."""
    cells = [STILL.cell(0), *map(SWIM.cell, range(4))]
    frames = [
        Frame(f"swim_{index}", 0, Box(cell.x + 1, cell.y + 2, 2, 2), Size(20, 20), Offset(4, 6), Point(7, 9))
        for index, cell in enumerate(cells)
    ]
    frames[-1] = frames[-1]._replace(**last)
    sheet = Sheet("o.png", Size(30, 30), None, blocks=(STILL, SWIM))
    return Crate("o", (sheet,), tuple(frames), (Animation("swim", (1, 2, 3, 4), (100,) * 4),))


def test_blocks_in_numbers() -> None:
    assert sheet_summaries(crate())[0].blocks == (
        BlockSummary("swim_0", True, (0, 0), Offset(0, 0), Size(9, 9), 1, 1, 0, Point(4, 5)),
        BlockSummary("swim", False, (1, 4), Offset(10, 1), Size(4, 5), 2, 3, 2, Point(4, 5)),
    )


def test_pivots_in_several_places_are_not_told() -> None:
    for last in ({"pivot": Point(7, 8)}, {"turned": True}, {"mirror": "x"}):
        assert sheet_summaries(crate(**last))[0].blocks[1].pivot is None
    empty = crate(box=Box(0, 0, 0, 0))
    assert sheet_summaries(empty)[0].blocks[1].pivot == (4, 5)
