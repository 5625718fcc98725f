"""Test the changes between two crates: each kind by itself, and the places of differing pixels."""

import numpy as np
import pytest

from agile_crate.core.crate.changes import Change, changes, summary_of
from agile_crate.core.model.crate import Animation, Crate, Frame
from agile_crate.core.model.geometry import Box, Offset, Point, Size
from agile_crate.core.model.sheet import Sheet
from conftest import art

PICTURES = [art(6, 5, seed) for seed in range(3)]
FRAMES = tuple(Frame(f"swim_{n}", 0, Box(6 * n, 0, 6, 5), Size(6, 5), Offset(0, 0), Point(3, 5)) for n in range(3))
OLD = Crate("otter", (Sheet("otter.png", Size(18, 5)),), FRAMES, (Animation("swim", (0, 1, 2), (83, 84, 83)),))


def found(new: Crate, pictures: list[np.ndarray] = PICTURES) -> list[Change]:
    return changes(OLD, new, PICTURES.__getitem__, pictures.__getitem__)


def with_frame(**facts: object) -> Crate:
    return OLD._replace(frames=(*FRAMES[:2], FRAMES[2]._replace(**facts)))


def with_animation(**facts: object) -> Crate:
    return OLD._replace(animations=(OLD.animations[0]._replace(**facts),))


def test_nothing_changed() -> None:
    hidden = PICTURES[0].copy()
    hidden[hidden[..., 3] == 0] = (9, 9, 9, 0)  # under transparent pixels nobody sees it
    assert found(OLD, [hidden, *PICTURES[1:]]) == []
    assert summary_of([]) == "nothing changed"


@pytest.mark.parametrize(
    ("new", "change"),
    [
        (with_frame(name="dive_1"), [("added", "dive_1", "is new, 6×5"), ("removed", "swim_2", "is no longer there"), ("timing", "swim", "step 3 shows 'dive_1', not 'swim_2'")]),
        (with_frame(canvas=Size(7, 5)), [("canvas", "swim_2", "7×5 instead of 6×5")]),
        (with_frame(pivot=Point(3.5, 5)), [("pivot", "swim_2", "3.5,5 instead of 3,5")]),
        (with_frame(box=Box(12, 9, 5, 6), turned=True), [("moved", "swim_2", "lies at 12,9 turned, not 12,0")]),
        (with_animation(durations=(83, 84, 200)), [("timing", "swim", "367 ms instead of 250; step 3 200 ms, not 83")]),
        (with_animation(frames=(0, 1), durations=(83, 84)), [("timing", "swim", "2 steps instead of 3")]),
        (with_animation(frames=(0, 2, 1)), [("timing", "swim", "step 2 shows 'swim_2', not 'swim_1'")]),
        (with_animation(loop="once"), [("timing", "swim", "once instead of forever")]),
        (with_animation(loop="once", times=3), [("timing", "swim", "3 times instead of forever")]),
        (with_animation(name="dive"), [("added", "dive", "new animation of 3 frames"), ("removed", "swim", "animation is no longer there")]),
        (OLD._replace(sheets=(Sheet("otter.png", Size(20, 5)),)), [("sheet", "otter.png", "20×5 instead of 18×5")]),
        (OLD._replace(scale=0.5, alpha="premultiplied", background="#102030"), [("sheet", "otter", "scale 0.5 instead of 1"), ("sheet", "otter", "alpha premultiplied instead of straight"), ("sheet", "otter", "background #102030 instead of none")]),
        (OLD._replace(sheets=(*OLD.sheets, Sheet("otter-2.png", Size(9, 9)))), [("sheet", "otter", "2 sheets instead of 1")]),
    ],
)  # fmt: skip
def test_each_kind_of_change_is_told(new: Crate, change: list[tuple[str, str, str]]) -> None:
    assert [(one.kind, one.name, one.what) for one in found(new)] == change


def test_changed_pixels_are_counted() -> None:
    changed = PICTURES[1].copy()
    changed[2, 4] = changed[3, 1] = (255, 0, 255, 255)
    (change,) = found(OLD, [PICTURES[0], changed, PICTURES[2]])
    assert change == Change("pixels", "swim_1", "2 pixels, first at 4,2", 2)
    assert summary_of([change, change, Change("removed", "a", "")]) == "2 pictures changed and 1 removed"
