"""Frames that fell out of their series."""

import pytest

from agile_crate.core.model.picture import FrameSequence, SequenceFrame
from agile_crate.core.motion.strays import stray_warning, strays


def sequence(name: str | None, *names: str) -> FrameSequence:
    return FrameSequence(name, tuple(SequenceFrame(frame, 0) for frame in names))


DIVE = sequence("dive", "dive/dive_13", "dive/dive_14", "dive/dive_16")


@pytest.mark.parametrize(
    ("name", "number"),
    [
        ("dive_15 fixed", 15), ("dive_15b", 15), ("Dive-15-new", 15), ("dive (15) copy", 15), ("dive_17x", 17), ("dive_12_old", 12),
        ("dive_14 copy", None), ("dive_18x", None), ("swim_15 fixed", None), ("fixed 15 dive", None),
    ],
)  # fmt: skip
def test_by_the_name(name: str, number: int | None) -> None:
    found = strays((DIVE, sequence(None, f"dive/{name}")), lambda *_: False)
    assert [(stray.number, stray.right_name) for stray in found] == (
        [(number, f"dive/dive_{number}")] if number else []
    )
    assert strays((DIVE, sequence(None, name)), lambda *_: False) == []  # in another folder


def test_a_name_that_ends_in_another_number() -> None:
    (stray,) = strays((DIVE, sequence("dive/dive_15_v", "dive/dive_15_v2")), lambda *_: False)
    assert stray_warning(stray) == (
        "'dive/dive_15_v2' seems to be frame 15 of 'dive', which lacks that number; "
        "rename='dive/dive_15_v2=dive/dive_15' puts it there"
    )


def test_by_the_pixels() -> None:
    asked: list[tuple[str, ...]] = []
    alike: set[str] = set()

    def is_between(*names: str) -> bool:
        asked.append(names)
        return names[0] in alike

    for name, wanted in (("dive/new", ["dive/new"]), ("dive/more", []), ("", [])):
        alike = alike | {name} if name else set()
        found = strays((DIVE, sequence(None, "dive/new", "dive/more")), is_between)
        assert [(stray.frame, stray.number) for stray in found] == [(name, 15) for name in wanted]
    assert asked[0] == ("dive/new", "dive/dive_14", "dive/dive_16")
    assert strays((sequence("swim", "swim_1", "swim_2"), sequence(None, "new")), is_between) == []
    assert len(asked) == 6
    gaps = sequence("dive", "dive/dive_1", "dive/dive_4", "dive/dive_7")
    assert strays((gaps, sequence(None, "dive/new")), lambda *_: True) == []  # it would fit in several places
