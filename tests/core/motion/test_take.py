"""Which frames are taken: each step on small sequences, told by the names of the frames that remain."""

import re
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.errors import InputError, UsageError
from agile_crate.core.model.picture import FrameSequence, SequenceFrame, Sequences
from agile_crate.core.motion import take
from agile_crate.core.motion.lookup import whole_patterns
from agile_crate.core.motion.spans import LAST, Span


def sequence(name: str | None, *seeds: int, milliseconds: int | None = None) -> FrameSequence:
    own = None if milliseconds is None else Fraction(milliseconds)
    stem = name or "still"
    return FrameSequence(
        name, tuple(SequenceFrame(f"{stem}/{stem}_{i:02d}", seed, own) for i, seed in enumerate(seeds, 1))
    )


def same(a: SequenceFrame, b: SequenceFrame) -> bool:
    return a.drawing == b.drawing


SWIM, DIVE, STILLS = sequence("swim", *range(10)), sequence("dive", 0, 0, 0, 1, 1, 0), sequence(None, 1, 2)
ALL = take.in_order([SWIM, STILLS, DIVE])


def names(sequences: Sequences) -> dict[str | None, list[str]]:
    return {s.name: [p.name for p in s.frames] for s in sequences}


def numbers(sequences: Sequences, name: str) -> list[int]:
    (found,) = (s for s in sequences if s.name == name)
    return [int(p.name[-2:]) for p in found.frames]


def test_the_order_of_animations() -> None:
    assert list(names(ALL)) == ["dive", "swim", None]
    assert list(names(take.put_first(ALL, ("swim",)))) == ["swim", "dive", None]
    with pytest.raises(UsageError, match=r"order: unknown animation or frame 'swin'; did you mean 'swim'\?"):
        take.put_first(ALL, ("swin",))


def test_stills_are_ordered_by_name_too() -> None:
    parcels = (
        FrameSequence(
            None, tuple(SequenceFrame(name, 0) for name in ("box", "letter", "old/sack", "sack", "new/tube"))
        ),
    )
    assert names(take.put_first(parcels, ("tube", "letter")))[None] == ["new/tube", "letter", "box", "old/sack", "sack"]
    assert names(take.put_first(parcels, ("sack",)))[None][0] == "sack"
    among = take.put_first([SWIM, *parcels, DIVE], ("letter", "swim", "tube", "sack"))
    assert [(s.name, len(s.frames)) for s in among] == [(None, 1), ("swim", 10), (None, 2), ("dive", 6), (None, 2)]
    with pytest.raises(UsageError, match="order: 'sack' may be 'old/sack' and 'new/sack'; write the whole name"):
        take.put_first((FrameSequence(None, (SequenceFrame("old/sack", 0), SequenceFrame("new/sack", 0))),), ("sack",))


def test_the_order_of_the_inputs() -> None:
    stills = FrameSequence(None, tuple(SequenceFrame(f"still{place}", place) for place in (0, 3, 7)))
    dive, swim = (
        FrameSequence(name, tuple(SequenceFrame(name, p) for p in (at, at + 1)))
        for name, at in (("dive", 5), ("swim", 1))
    )
    found = take.as_given((dive, swim, stills))
    assert [(s.name, s.frames[0].drawing) for s in found] == [(None, 0), ("swim", 1), (None, 3), ("dive", 5), (None, 7)]


def test_numbers_pick_by_the_names() -> None:
    gap = FrameSequence("gap", tuple(SequenceFrame(f"gap/gap_{number:02}", 0) for number in (0, 1, 4, 5, 9)))
    assert numbers(take.numbered((gap,), {"gap": (Span(1, 5),)}), "gap") == [1, 4, 5]
    assert numbers(take.numbered((gap,), {"gap": (Span(LAST, 3), Span(0, 0))}), "gap") == [9, 5, 4, 0]
    assert take.counted_otherwise((gap, SWIM, STILLS)) == {"gap": "0-1, 4-5 and 9"}
    for span in (Span(3, 3), Span(5, 10), Span(12, None)):
        with pytest.raises(UsageError, match=rf"numbers: {span} is missing in 'gap', .* the numbers 0-1, 4-5 and 9"):
            take.numbered((gap,), {"gap": (span,)})
    layered = FrameSequence("ora", (SequenceFrame("ora/wave", 0),))
    with pytest.raises(UsageError, match="numbers: the frames of 'ora' have no numbers; pick them by position"):
        take.numbered((layered,), {"ora": (Span(1, None),)})


def test_include_and_exclude() -> None:
    assert names(take.kept(ALL, ["swim/*", "*_01"], ["*_1?"])) == {
        "dive": ["dive/dive_01"],
        "swim": [f"swim/swim_{i:02d}" for i in range(1, 10)],
        None: ["still/still_01"],
    }
    with pytest.raises(InputError, match="include and exclude leave no frame"):
        take.kept(ALL, ["gull*"], [])


@pytest.mark.parametrize(
    ("spans", "expected"),
    [
        ([Span(3, 5)], [3, 4, 5]),
        ([Span(1, 1), Span(8, None)], [1, 8, 9, 10]),
        ([Span(1, 2), Span(9, 7), Span(LAST, LAST)], [1, 2, 9, 8, 7, 10]),
        ([Span(LAST, 8)], [10, 9, 8]),
    ],
)
def test_ranges(spans: list[Span], expected: list[int]) -> None:
    assert numbers(take.ranged(ALL, {"swim": tuple(spans)}), "swim") == expected
    assert numbers(take.ranged(ALL, {"swim": tuple(spans)}), "dive") == [1, 2, 3, 4, 5, 6]


@pytest.mark.parametrize("span", [Span(5, 11), Span(11, None)])
def test_ranges_outside_name_the_count(span: Span) -> None:
    with pytest.raises(UsageError, match=rf"frames: {span} is outside 'swim', which has 10 frames"):
        take.ranged(ALL, {"swim": (span,)})


def test_split() -> None:
    cut = take.split(ALL, {"swim": {"start": (Span(1, 4),), "go": (Span(5, 9), Span(10, 10))}})
    assert list(names(cut)) == ["dive", "go", "start", None]
    assert names(cut)["start"] == ["start_01", "start_02", "start_03", "start_04"]


@pytest.mark.parametrize(
    ("parts", "sentence"),
    [
        ({"a": (Span(1, 6),), "b": (Span(6, 10),)}, "split='swim': frame 6 is in 'a' and in 'b'; each frame"),
        ({"a": (Span(2, 6),), "b": (Span(8, 10),)}, r"split='swim': 2 frames of 10 are in no part \(1 and 7\)"),
        ({"a": (Span(1, 12),)}, "split: 1-12 is outside 'swim', which has 10 frames"),
        ({"dive": (Span(1, 10),)}, "split: there are two animations 'dive'; choose another name"),
    ],
)
def test_splits_that_do_not_work_out(parts: dict[str, tuple[Span, ...]], sentence: str) -> None:
    with pytest.raises(UsageError, match=sentence):
        take.split(ALL, {"swim": parts})


@given(st.integers(1, 30), st.integers(1, 12))
def test_the_first_of_every_n_stands_for_n(count: int, step: int) -> None:
    (thin,) = take.thinned((sequence("swim", *[0] * count, milliseconds=20),), {"swim": step})
    assert [int(p.name[-2:]) for p in thin.frames] == list(range(1, count + 1, step))
    assert all((p.units, p.milliseconds) == (step, 20 * step) for p in thin.frames)


def test_copies_and_closing_frames() -> None:
    short = take.without_copies(ALL, same)
    assert numbers(short, "dive") == [1, 4, 6]
    assert [p.units for p in short[0].frames] == [3, 2, 1]
    assert numbers(take.without_closing(short, same), "dive") == [1, 4]
    assert numbers(take.without_closing(short, same), "swim") == list(range(1, 11))
    assert len(take.without_closing((sequence("one", 1),), same)[0].frames) == 1


def test_backwards_leaves_stills_alone() -> None:
    assert numbers(take.backwards(ALL), "swim") == list(range(10, 0, -1))
    assert names(take.backwards(ALL))[None] == names(ALL)[None]


def test_animations_made_from_others() -> None:
    made = take.with_made(ALL, {"swim_left": "swim"}, "mirrored")
    assert list(names(made)) == ["dive", "swim", "swim_left", None]
    assert names(made)["swim_left"][0] == "swim_left/swim_left_01"
    assert [(frame.drawing, frame.flipped) for frame in made[2].frames] == [(seed, True) for seed in range(10)]
    assert not any(frame.flipped for frame in made[1].frames)
    assert not any(frame.flipped for frame in take.mirrored(made[2]).frames)
    surface = take.with_made(ALL, {"surface": "dive"}, "reversed")
    assert names(surface)["surface"] == [f"surface/surface_{i:02d}" for i in range(6, 0, -1)]
    with pytest.raises(UsageError, match="mirrored: there are two animations 'dive'"):
        take.with_made(ALL, {"dive": "swim"}, "mirrored")


def test_two_frames_of_one_name() -> None:
    with pytest.raises(InputError, match="two frames have the name 'swim/swim_01'"):
        take.refuse_clashing_names((SWIM, SWIM))


@pytest.mark.parametrize(
    ("pattern", "sentence"),
    [
        ("swim", ""), ("swim/swim_01", ""), ("*_01", ""), ("walk", "unknown animation or frame 'walk'; names are such as swim, or swim/swim_01"),
        ("swin", "unknown animation or frame 'swin'; did you mean 'swim'?"), ("deep/se", "unknown animation or frame 'deep/se'; did you mean 'deep/sea'?"),
    ],
)  # fmt: skip
def test_names_that_nothing_has(pattern: str, sentence: str) -> None:
    """A plain name may be a frame's, an animation's, or a folder's at any depth."""
    frames = tuple(frame._replace(name=f"deep/sea/{frame.name}") for frame in sequence("gull", 5, 6).frames)
    sequences = (sequence("swim", 1, 2), FrameSequence("gull", frames))
    if not sentence:
        assert whole_patterns("include", [pattern], sequences) == ([pattern], [])
        return
    with pytest.raises(UsageError, match=re.escape(sentence)):
        whole_patterns("include", [pattern], sequences)
    assert whole_patterns("exclude", ["*none*", "swim_02"], sequences) == (
        ["*none*", "swim/swim_02"], ["exclude='*none*' matches no frame"],
    )  # fmt: skip
