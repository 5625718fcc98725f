"""Animations under other names: one by one, by wildcards, joined."""

import pytest

from agile_crate.core.errors import UsageError
from agile_crate.core.model.picture import FrameSequence, SequenceFrame, Sequences
from agile_crate.core.motion.lookup import animation_name, the_only
from agile_crate.core.motion.rename import renamed, renaming, sequenced, spelled_out, with_renamed_frames


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


FACE = FrameSequence(
    None, tuple(SequenceFrame(name, at) for at, name in enumerate(("face/open", "face/shut", "dive_03 fixed"), 10))
)


def test_frames_renamed_as_if_their_files_were() -> None:
    pairs = (
        ("dive_03 fixed", "dive/dive_03"),
        ("shut", "blink_02"),
        ("open", "blink_01"),
        ("dive/dive_01", "ready"),
        ("swim_a", "swim"),
    )
    sequences, others = with_renamed_frames((*ALL[:3], FACE), pairs)
    assert {s.name: [(f.name, f.drawing) for f in s.frames] for s in sequences} == {
        "dive": [("dive/dive_02", 2), ("dive/dive_03", 12)],
        "swim_a": [("swim_a/swim_a_01", 1), ("swim_a/swim_a_02", 2)],
        "swim_b": [(f"swim_b/swim_b_{n:02}", n) for n in (1, 2, 3)],
        "blink": [("blink_01", 10), ("blink_02", 11)],
        None: [("ready", 1)],
    }
    assert others == (("swim_a", "swim"),)


def test_animations_made_of_stills_and_of_frames_of_others() -> None:
    wanted = {"mouth": ("open", "shut", "face/open"), "mix": ("dive", "swim_b/*_0[13]", "dive_03 fixed")}
    made = {s.name: s.frames for s in sequenced((*ALL[:3], FACE), wanted)}
    assert [(f.name, f.drawing) for f in made["mouth"]] == [("mouth_01", 10), ("mouth_02", 11), ("mouth_03", 10)]
    assert [f.drawing for f in made["mix"]] == [1, 2, 1, 3, 12]
    assert [f.drawing for f in made["dive"]] == [1, 2]
    assert None not in made


@pytest.mark.parametrize(
    ("wanted", "told"),
    [
        ({"dive": ("open",)}, "sequence='dive': there is an animation 'dive' already; choose another name"),
        ({"mouth": ("opn",)}, "sequence: unknown animation or frame 'opn'; did you mean 'face/open'?"),
        ({"mouth": ("x*",)}, r"sequence='mouth': 'x\*' matches no frame"),
    ],
)  # fmt: skip
def test_sequences_that_cannot_be(wanted: dict[str, tuple[str, ...]], told: str) -> None:
    with pytest.raises(UsageError, match=told):
        sequenced((*ALL[:3], FACE), wanted)


def test_a_name_is_whole_or_its_last_part() -> None:
    guards = (sequence("guard/idle", 1), sequence("sea/idle", 1), sequence("sea/run", 1), sequence("run", 1))
    assert [animation_name("fps", given, guards) for given in ("run", "sea/run", "sea/idle")] == [
        "run",
        "sea/run",
        "sea/idle",
    ]
    with pytest.raises(UsageError, match="fps: 'idle' may be 'guard/idle' and 'sea/idle'; write the whole name"):
        animation_name("fps", "idle", guards)
    assert animation_name("fps", "idle", guards[1:]) == "sea/idle"


def test_what_matches_nothing_is_told() -> None:
    assert renaming([("gull_*", "g_*")], ALL) == ({}, ["rename='gull_*=g_*' matches no animation"])
    with pytest.raises(UsageError, match=r"mirrored: unknown animation 'dove'; did you mean 'dive'\?"):
        spelled_out([("x", "dove")], "mirrored", ALL)
    assert spelled_out([("g_*", "gull_*")], "mirrored", ALL) == ((), ["mirrored='g_*=gull_*' matches no animation"])


def test_the_only_animation_is_that_which_was_read() -> None:
    made = FrameSequence("swim_left", (), origin="dive", making="mirrored")
    assert the_only("hold", "swim:3=2", [ALL[0], made, ALL[3]]) == "dive"
    with pytest.raises(UsageError, match="hold: name the animation, as in swim:3=2; there are only stills"):
        the_only("hold", "swim:3=2", [ALL[3]])
