"""Animations under other names: one by one, by wildcards, joined."""

import pytest

from agile_crate.core.errors import UsageError
from agile_crate.core.model.picture import FrameSequence, SequenceFrame, Sequences
from agile_crate.core.motion.rename import renamed, renaming, spelled_out, the_only


def sequence(name: str | None, count: int, *, times: int = 0) -> FrameSequence:
    stem = name or "still"
    frames = tuple(SequenceFrame(f"{stem}/{stem}_{number:02}", number) for number in range(1, count + 1))
    return FrameSequence(name, frames, "once" if times else None, times)


ALL = (sequence("dive", 2), sequence("swim_a", 2, times=1), sequence("swim_b", 3, times=1), sequence(None, 1))


def names(pairs: list[tuple[str, str]], sequences: Sequences = ALL) -> dict[str | None, list[str]]:
    return {s.name: [f.name for f in s.frames] for s in renamed(sequences, renaming(pairs, sequences)[0])}


def test_frames_are_called_after_their_animation() -> None:
    assert names([("dive", "otter/dash")])["otter/dash"] == ["otter/dash_01", "otter/dash_02"]
    layered = (FrameSequence("ora", (SequenceFrame("ora/wave", 0), SequenceFrame("ora/nod (7)", 1))),)
    assert names([("ora", "hello")], layered) == {"hello": ["hello/wave", "hello_7"]}
    assert names([("", "hello")], layered) == names([("ora", "hello")], layered)
    swapped = names([("dive", "swim_b"), ("swim_b", "dive")])
    assert swapped["dive"] == ["dive_01", "dive_02", "dive_03"]


def test_wildcards_stand_for_the_same_in_the_new_name() -> None:
    assert list(names([("swim_*", "paddle_*")])) == ["dive", None, "paddle_a", "paddle_b"]
    assert list(names([("swim_*", "*_swim"), ("swim_b", "paddle")])) == ["dive", None, "a_swim", "paddle"]


def test_one_name_joins_in_the_order_given() -> None:
    for pairs in ([("swim_*", "swim")], [("swim_a", "swim"), ("swim_b", "swim")]):
        joined = renamed(ALL, renaming(pairs, ALL)[0])[-1]
        assert [frame.name for frame in joined.frames] == ["swim_01", "swim_02", "swim_03", "swim_04", "swim_05"]
        assert [frame.drawing for frame in joined.frames] == [1, 2, 1, 2, 3]
        assert (joined.loop, joined.times) == ("once", 1)
    other = renamed(ALL, renaming([("swim_b", "dive"), ("dive", "dive")], ALL)[0])[-1]
    assert [frame.drawing for frame in other.frames] == [1, 2, 3, 1, 2]
    assert (other.loop, other.times) == (None, 0)


@pytest.mark.parametrize(
    ("pairs", "told"),
    [
        ([("swim_a", "dive")], r"there is an animation 'dive' already; .*: rename='dive=dive' and rename='swim_a=dive'"),
        ([("dive", "dash"), ("dive", "dot")], "rename: 'dive' is given twice; leave one of them out"),
        ([("swim_*", "*")] * 2, "rename: 'swim_a' is given twice"),
        ([("swim", "x")], "rename: unknown animation 'swim'; did you mean 'swim_b'?"),
        ([("swim_*", "*_*")], r"rename='swim_\*=\*_\*': write as many \* on one side as on the other"),
        ([("dive", "*")], r"rename='dive=\*': write as many \*"),
        ([("", "dash")], "rename: name the animation, as in swim=dash; the animations are dive, swim_a and swim_b"),
    ],
)  # fmt: skip
def test_what_cannot_be_called_so(pairs: list[tuple[str, str]], told: str) -> None:
    with pytest.raises(UsageError, match=told):
        names(pairs)


@pytest.mark.parametrize("name", ["../up", "/up", "a//b", "up/", "..", "a\\b"])
def test_names_that_lead_out_of_a_folder(name: str) -> None:
    for pairs in ([("dive", name)], [("swim_*", name)]):
        with pytest.raises(UsageError, match="cannot name an animation: its frames would lie outside of their folder"):
            names(pairs)


def test_where_there_is_no_animation_at_all() -> None:
    with pytest.raises(UsageError, match="rename: unknown animation 'swim'; there are only stills"):
        names([("swim", "x")], (sequence(None, 1),))


def test_what_matches_nothing_is_told() -> None:
    assert renaming([("gull_*", "g_*")], ALL) == ({}, ["rename='gull_*=g_*' matches no animation"])
    assert spelled_out([("g_*", "gull_*")], "mirrored", ALL) == ((), ["mirrored='g_*=gull_*' matches no animation"])


def test_the_only_animation_is_that_which_was_read() -> None:
    made = FrameSequence("swim_left", (), origin="dive", making="mirrored")
    assert the_only("hold", "swim:3=2", [ALL[0], made, ALL[3]]) == "dive"
    with pytest.raises(UsageError, match="hold: name the animation, as in swim:3=2; there are only stills"):
        the_only("hold", "swim:3=2", [ALL[3]])
