"""Test checks across animations, and findings that are dropped."""

import pytest
from figures import figure, moved, surveyed, swing, swinging, walk

from agile_crate.core.inspect.baseline import baseline_keys, baseline_text, key_of
from agile_crate.core.inspect.findings import find_across, find_all


def test_an_animation_that_mirrors_another() -> None:
    right = [moved(frame, 3, 0) for frame in swinging(6)]
    left = [frame[:, ::-1] for frame in right]
    one, other = surveyed(right, "otter/right"), surveyed(left, "otter/left")
    (finding,) = find_across([one, other])
    assert (finding.code, finding.severity, finding.sequence) == ("mirror-image", "note", "otter/left")
    assert finding.fix.settings == [("exclude", "otter/left"), ("mirrored", "otter/left=otter/right")]
    nearly = [frame.copy() for frame in left]
    nearly[3][48, 48, 0] ^= 1
    assert find_across([one, surveyed(nearly, "otter/left")]) == []
    symmetrical = [figure(x=24, shade=n) for n in range(3)]
    for frame in symmetrical:
        frame[28:32, 28:34] = frame[0, 0]
    assert find_across([surveyed(symmetrical, "a"), surveyed(symmetrical, "b")]) == []


def test_ground_lines_of_one_character() -> None:
    idle, run = surveyed(walk(), "otter/idle"), surveyed([moved(frame, 0, -2) for frame in walk()], "otter/run")
    jump = surveyed([moved(frame, 0, -n) for n, frame in enumerate(walk())], "otter/jump")
    swim = surveyed(walk(), "otter/swim")
    (finding,) = find_across([idle, run, jump, swim])
    assert (finding.code, finding.severity, finding.sequence) == ("ground-differs", "warning", "otter/run")
    assert finding.fix.settings == [("shift", "otter/run=0,2")]
    gull = surveyed([moved(frame, 0, -2) for frame in walk()], "gull/run")
    assert find_across([idle, swim, gull]) == []
    assert find_across([idle, run]) == []  # who is to say which is right


@pytest.mark.parametrize(
    ("name", "is_odd"),
    [("walk_04b", True), ("walk_04 copy", True), ("walk_04_old", True), ("walk_04 (2)", True), ("walk_04 copy 2", True), ("walk_04-2", False), ("wave", False), ("walk_44b", False)],
)  # fmt: skip
def test_files_left_beside_an_animation(name: str, is_odd: bool) -> None:
    stray = surveyed([swing(3) if is_odd else figure()], None, ["x"])
    facts = stray.frames[0]
    facts = type(facts)(**{field: getattr(facts, field) for field in facts.__slots__} | {"name": f"walk/{name}"})
    sequence = type(stray)(None, (facts,), stray.again)
    found = [
        finding for finding in find_across([surveyed(walk(), "walk"), sequence]) if finding.code == "file-unrelated"
    ]
    assert [finding.frames for finding in found] == ([(f"walk/{name}",)] if is_odd else [])
    if is_odd:
        assert found[0].fix.settings == [("exclude", f"walk/{name}")]
        assert "widens the cells of a grid from 64×64 to 96×96" in found[0].what


def test_names_with_wildcards_are_left_out_by_themselves() -> None:
    odd = surveyed([figure(size=(300, 300))], None, ["[1]*?"])
    (finding,) = find_across([surveyed(walk(), "walk"), odd])
    assert finding.fix.settings == [("exclude", "None/None_[[]1][*][?]")]


def test_what_is_let_go_is_known_by_names_and_pixels() -> None:
    frames = [*swinging(6), swing(0)]
    sequence = surveyed(frames)
    (closing,) = (finding for finding in find_all(sequence) if finding.code == "closing")
    key = key_of(closing, sequence.frames)
    assert baseline_keys(baseline_text({key: closing})) == {key}
    frames[3] = swing(9)
    changed = surveyed(frames)
    assert key_of(closing, changed.frames) != key
    for text in ("", "[]", "{}", '{"format": "agile-crate survey baseline", "version": 2, "allowed": []}', "[" * 9999):
        with pytest.raises(ValueError, match=r".*"):
            baseline_keys(text)
