"""Numbers that are glued to the name before them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.glued import split_remark, without_glue


def split(*names: str, digits: int = 0) -> list[str]:
    return without_glue(names, [""] * len(names), digits)[0]


@pytest.mark.parametrize(
    ("names", "wanted"),
    [
        (["idle 10001", "idle 10002", "idle 20001"], ["idle 1_0001", "idle 1_0002", "idle 2_0001"]),
        (["a/idle10000", "a/idle10001", "a/idle20000"], ["a/idle1_0000", "a/idle1_0001", "a/idle2_0000"]),
        (["buoy 10001"], ["buoy 1_0001"]),
        (["gull_90001", "gull_90002", "gull_100001"], ["gull_9_0001", "gull_9_0002", "gull_10_0001"]),
        (["gull_10000001"], None),  # nobody has a thousand clips
        (["idle_00001", "idle_00002"], None),  # zeros before a number
        (["idle_1001", "idle_1002", "idle_2001"], None),  # four digits are one number
        ([f"sea_{number:05}" for number in range(9_000, 12_000, 500)], None),  # one long series
        (["sea_10000", "sea_20000", "sea_30000"], None),  # points in time
        (["otter_20261001", "otter_20261002"], None),  # dates
        (["sea_10007", "sea_10008", "sea_20001"], None),  # a clip that begins in the middle
        (["10001", "10002", "20001"], None),
        (["idle (10001)", "idle (20001)", "letter", "9" * 120], None),
    ],
)  # fmt: skip
def test_series_are_split_where_clips_begin(names: list[str], wanted: list[str] | None) -> None:
    assert split(*names) == (wanted or names)


def test_digits_by_hand() -> None:
    assert split("idle 1001", "idle 2012", "idle 7", digits=3) == ["idle 1_001", "idle 2_012", "idle 7"]
    assert split("idle 10001", "idle 20001", digits=5) == ["idle 10001", "idle 20001"]
    assert split("20261201", digits=4) == ["2026_1201"]


def test_folders_are_looked_at_by_themselves() -> None:
    names = ["idle 10001", "idle 10002", "idle 20001", "idle 5"]
    assert without_glue(names, ["a", "a", "a", "b"])[0][3] == "idle 5"
    assert without_glue(names, ["a"] * 4)[1] == ()


def test_the_remark() -> None:
    assert split_remark(without_glue(["buoy 10001", "a/idle 10001", "a/idle 10002", "a/idle 20001"], [""] * 4)[1]) == (
        "the last 4 digits of file names are the number: 'buoy' became 'buoy 1' (1 frame); 'idle' became 'idle 1' "
        "(2 frames) and 'idle 2' (1 frame); digits=9 reads all digits as the number"
    )


@given(st.dictionaries(st.integers(1, 40), st.integers(2, 30), min_size=1, max_size=6), st.sampled_from([0, 1]))
def test_clips_come_apart_as_they_were_glued(clips: dict[int, int], begin: int) -> None:
    pairs = [(clip, number) for clip, count in clips.items() for number in range(begin, begin + count)]
    assert split(*(f"swim {clip}{number:04}" for clip, number in pairs)) == [f"swim {c}_{n:04}" for c, n in pairs]
