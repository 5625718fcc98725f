import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_crate.core.names import animation_of, clashes, frame_key, natural_key, split_number


@pytest.mark.parametrize(
    ("stem", "expected"),
    [
        ("swim_0003", ("swim", 3)), ("swim-3", ("swim", 3)), ("swim.03", ("swim", 3)), ("swim 03", ("swim", 3)),
        ("swim (3)", ("swim", 3)), ("swim__12", ("swim", 12)), ("0042", ("", 42)),
        ("2d_swim_7", ("2d_swim", 7)), ("swim3b", ("swim3b", None)), ("buoy", ("buoy", None)),
        ("two\nlines_1", ("two\nlines", 1)),
    ],
)  # fmt: skip
def test_number_at_the_end(stem: str, expected: tuple[str, int | None]) -> None:
    assert split_number(stem) == expected


@pytest.mark.parametrize(
    ("name", "folder", "is_alone", "expected"),
    [
        ("swim/swim_0003", "swim", True, "swim"), ("otter/swim/swim_0003", "swim", True, "otter/swim"),
        ("otter/swim_0003", "otter", False, "otter/swim"), ("otter/swim_0003", "otter", True, "otter"),
        ("otter/0003", "otter", False, "otter"), ("Walk/frame_01", "Walk", True, "Walk"),
        ("walk_SW/walk_01", "walk_SW", True, "walk_SW"), ("swim/swim_1", "swim", False, "swim"),
        ("swim/up_1", "swim", False, "swim/up"), ("swim_1", "frames", True, "swim"), ("0001", "swim", False, "swim"),
        ("Frame_1", "swim", True, "swim"), ("frame_1", "swim", False, "frame"), ("0001", "", True, "frames"),
        ("parcels/letter", "parcels", True, None),
    ],
)  # fmt: skip
def test_animation_of_a_frame(name: str, folder: str, is_alone: bool, expected: str | None) -> None:
    assert animation_of(name, folder, is_alone) == expected


def test_natural_order_is_not_the_order_of_letters() -> None:
    names = ["swim_10", "swim_9", "Swim_2", "dive_1", "swim_009"]
    assert sorted(names, key=natural_key) == ["dive_1", "Swim_2", "swim_009", "swim_9", "swim_10"]


@given(st.lists(st.text(max_size=12), unique=True))
def test_natural_order_is_total(names: list[str]) -> None:
    other_listing = names[::-1]
    assert sorted(names, key=natural_key) == sorted(other_listing, key=natural_key)


def test_animations_come_before_stills_and_numbers_before_names() -> None:
    names = ["b_2", "letter", "a_10", "a_9", "b_1", "a-9"]
    ordered = sorted(names, key=lambda name: frame_key(name, animation_of(name, "", False)))
    assert ordered == ["a-9", "a_9", "a_10", "b_1", "b_2", "letter"]


@pytest.mark.parametrize(
    ("names", "ending", "told"),
    [
        (["swim/a_1", "Swim/A_1", "b"], ".png", [(("swim/a_1", "Swim/A_1"), "differ only in case")]),
        (["m\u00f6we", "mo\u0308we"], "", [(("m\u00f6we", "mo\u0308we"), "differ only in how accents are stored")]),
        (["m\u00f6we", "Mo\u0308we"], "", [(("m\u00f6we", "Mo\u0308we"), "differ only in case and in how accents are stored")]),
        (["a", "A.png/b/c", "b.png"], ".png", [(("a", "A.png/b/c"), "need a file and a folder of one name")]),
        (["a", "a.png/b"], "", []), (["swim", "swim/1", "dive"], ".png", []), ([], ".png", []),
    ],
)  # fmt: skip
def test_names_that_clash(names: list[str], ending: str, told: list[tuple[tuple[str, ...], str]]) -> None:
    assert clashes(names, ending) == told
